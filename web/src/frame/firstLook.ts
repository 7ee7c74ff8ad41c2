import type { JudgedClaim } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import { objectOf, selectionText } from '../state/selection.ts';
import { count, many } from '../parts/text.ts';
import { stageOfKind } from './stages.tsx';

/** A step of the first look: what is there to see, why it matters, what to do, and what has changed. */
export interface LookStep {
  readonly id: string;
  readonly title: string;
  readonly why: string;
  readonly act: string;
  /** Where it is seen, beside the model's own address. */
  readonly to: string;
  /**
   * What has changed, once the step is done; undefined before. A step without a claim is done by seeing it.
   */
  readonly changed?: string | undefined;
  readonly seen: boolean;
}

/** What is told of a kind of claim, wherever it is broken. */
const TOLD: Readonly<Record<string, { title: string; why: string; act: string }>> = {
  'reference-complete': {
    title: 'Codes that lead nowhere',
    why: 'Their rows are under no member: every total by that dimension misses them.',
    act: 'Open the evidence, try a remedy on the rows, and apply it.',
  },
  'measure-reach': {
    title: 'A total that repeats',
    why: 'A dimension that does not reach a measure would show the same total beside each of its members.',
    act: 'See which dimension it is; take one of the two out of the perspective, or waive it with a reason.',
  },
  'level-single-parent': {
    title: 'A member with two parents',
    why: 'It is counted under both, or under whichever comes first: the levels do not add up.',
    act: 'See the members, and give the level a key that tells them apart.',
  },
  'snapshot-measure': {
    title: 'A stock that is added up over time',
    why: 'What is on the shelf on Monday and on Tuesday is not there twice.',
    act: 'Apply the remedy: the measure then takes the last count of each period.',
  },
  'key-unique': {
    title: 'A key that stands twice',
    why: 'Each row that refers to it finds two members, and counts double.',
    act: 'See the rows of one key side by side, and choose a remedy.',
  },
  cardinality: {
    title: 'A reference that finds several rows',
    why: 'A join along it multiplies rows, and totals with them.',
    act: 'See which keys find several rows; mend the key, or declare what it is.',
  },
  'type-holds': {
    title: 'Values that do not fit their type',
    why: 'They became null: sums and counts miss them without a word.',
    act: 'See the values with their lines, and choose another type or have the file corrected.',
  },
  'file-read': {
    title: 'Lines that did not become rows',
    why: 'What is left out here is missing in every number.',
    act: 'See the lines with the reason for each.',
  },
};

/** Kinds that the demo's first look walks through, in this order. */
const WALK = ['reference-complete', 'measure-reach', 'level-single-parent', 'snapshot-measure'];
/** Of other models so many of the broken claims are shown. */
const MOST_CLAIMS = 3;

/** The claims that are most worth knowing: what blocks first, then what stands against most of the rows. */
export function worthKnowing(claims: readonly JudgedClaim[], most: number): JudgedClaim[] {
  const share = ({ evidence }: JudgedClaim) => evidence.against / Math.max(1, evidence.checked);
  const kinds = new Set<string>();
  return claims
    .filter((c) => c.verdict === 'broken')
    .sort(
      (a, b) =>
        Number(b.weight === 'blocks') - Number(a.weight === 'blocks') ||
        Number(b.kind in TOLD) - Number(a.kind in TOLD) ||
        share(b) - share(a),
    )
    .filter(({ kind }) => {
      // One of a kind: the next is found beside it.
      if (kinds.has(kind)) return false;
      kinds.add(kind);
      return true;
    })
    .slice(0, most);
}

/**
 * The first look at a model: the things most worth knowing, each on its own screen, then the storage, a
 * question, and the release. `before` are ids of the claims that were chosen when it was begun, so that one
 * that holds now stays a step; `seen` the steps that were gone to.
 */
export function lookSteps(
  model: Model,
  claims: readonly JudgedClaim[],
  before: readonly string[],
  seen: ReadonlySet<string>,
): LookStep[] {
  const chosen = before.flatMap((id) => claims.find((c) => c.id === id) ?? []);
  const gone = before.filter((id) => !claims.some((c) => c.id === id));
  const first = (model.measures ?? []).find((m) => !m.hidden);
  return [
    ...chosen.map((claim): LookStep => {
      const told = TOLD[claim.kind] ?? {
        title: claim.says,
        why: 'The model says so, and the rows do not.',
        act: 'See the rows that stand against it, and choose a remedy.',
      };
      const to = new URLSearchParams({ sel: selectionText(objectOf(claim)), claim: claim.id });
      const { against, checked } = claim.evidence;
      return {
        id: claim.id,
        ...told,
        why: `${told.why} Here: ${claim.found ?? claim.says}.`,
        to: `${stageOfKind(claim.kind)}?${to}`,
        seen: seen.has(claim.id),
        changed:
          claim.verdict === 'broken' || claim.verdict === 'unchecked'
            ? undefined
            : claim.verdict === 'waived'
              ? `Waived: ${many(against, 'row')} against it, known and accepted.`
              : `It holds now: ${count(checked)} checked, none against it.`,
      };
    }),
    ...gone.map((id): LookStep => ({
      id,
      title: id,
      why: 'The model does not claim it any more.',
      act: 'Nothing is left to do.',
      to: 'claims',
      seen: true,
      changed: 'The claim is gone with what it was about.',
    })),
    {
      id: 'storage',
      title: 'The heaviest column',
      why: 'A few columns make most of the bytes; some of them nobody asks for.',
      act: 'See what each column weighs, and what the advice would save, measured.',
      to: 'storage',
      seen: seen.has('storage'),
    },
    {
      id: 'trial',
      title: 'Why a number is what it is',
      why: 'A number that nobody can explain is not relied on.',
      act: 'Press a cell of the answer: its parts, conditions and rows stand beside it.',
      to: first
        ? `trial?q=${encodeURIComponent(JSON.stringify({ measures: [first.name], totals: true }))}`
        : 'trial',
      seen: seen.has('trial'),
    },
    {
      id: 'release',
      title: 'What stands against a release',
      why: 'Definitions leave only when every blocking claim holds, or somebody has waived it with a reason.',
      act: 'See what is left, and write the definitions.',
      to: 'release',
      seen: seen.has('release'),
    },
  ];
}

/**
 * The claims that a first look begins with: of each kind that it walks through one, else the three most
 * worth.
 */
export function chosenClaims(claims: readonly JudgedClaim[]): string[] {
  const walk = WALK.flatMap(
    (kind) => claims.find((c) => c.kind === kind && c.verdict === 'broken')?.id ?? [],
  );
  return walk.length === WALK.length ? walk : worthKnowing(claims, MOST_CLAIMS).map((c) => c.id);
}

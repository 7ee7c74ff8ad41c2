import { useEffect, useMemo } from 'react';
import type { ReactNode } from 'react';
import { Link, useLocation } from 'react-router';
import type { JudgedClaim } from '@crease/core/claims';
import { tablesInNoStar } from '@crease/core/stars';
import { sameName } from '@crease/core/model';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { useModel } from '../state/model.tsx';
import type { Selection } from '../state/selection.ts';
import { isAbout, objectOf, selectionText, useGo, useParam, useSelection } from '../state/selection.ts';
import { beginLook, isLookKnown } from '../frame/FirstLook.tsx';
import type { Stage } from '../frame/stages.tsx';
import { stageOfKind, STAGES } from '../frame/stages.tsx';
import { ClaimCard, ClaimLine } from './ClaimCard.tsx';
import { SelectionFacts } from './SelectionFacts.tsx';
import { nextSteps } from './nextSteps.ts';
import { textsOf } from '../state/texts.ts';
import { count, many } from '../parts/text.ts';

const RANK = { broken: 0, unchecked: 1, waived: 2, holds: 3 } as const;

/**
 * The evidence on what is selected: its claims, broken ones open, and what is known of it. `children` is what
 * the stage itself has to show; a stage that lists the broken claims itself goes without the `overview`.
 */
export function EvidenceLeaf({ children, overview = true }: { children?: ReactNode; overview?: boolean }) {
  const [selection, select] = useSelection();
  useInterest(selection);
  return (
    <div className="flex flex-col">
      {selection ? <SelectionHead selection={selection} onClear={() => select(undefined)} /> : null}
      {selection && <Told selection={selection} />}
      {children}
      {selection ? <ClaimsAbout selection={selection} /> : overview ? <Overview /> : null}
      {selection && <SelectionFacts selection={selection} />}
    </div>
  );
}

/** Tells the server what is looked at: its claims are judged first when there is something to judge. */
function useInterest(selection: Selection | undefined): void {
  const { id, fail } = useModel();
  const text = selection?.name ?? '';
  useEffect(() => {
    if (text === '') return;
    // Of a column the table counts as well.
    const names = [...new Set([text, text.split('.')[0]!])];
    ask(api.claims.interest, { id }, { names }).catch(fail);
  }, [id, text, fail]);
}

function SelectionHead({ selection, onClear }: { selection: Selection; onClear: () => void }) {
  return (
    <header className="flex min-h-[42px] items-center gap-3 border-b border-rule px-4 py-2">
      <span className="eyebrow">{selection.kind}</span>
      <h2 className="min-w-0 flex-1 break-words text-[15px]">{selection.name}</h2>
      <button className="btn btn-bare text-soft" onClick={onClear}>
        Clear
      </button>
    </header>
  );
}

/** What people are told of the selection, and the way to where it is written. */
function Told({ selection }: { selection: Selection }) {
  const { model } = useModel();
  const row = useMemo(
    () => textsOf(model).find((r) => r.kind === selection.kind && sameName(r.name, selection.name)),
    [model, selection.kind, selection.name],
  );
  if (!row) return null;
  const search = new URLSearchParams({ search: row.name, kind: row.kind, sel: selectionText(selection) });
  return (
    <p className="flex items-baseline gap-3 border-b border-rule px-4 py-2">
      <span className="min-w-0 flex-1">
        {row.title !== '' && <b>{row.title}</b>}
        {row.title !== '' && row.description !== '' && ': '}
        {row.description}
        {row.title === '' && row.description === '' && (
          <span className="text-soft">Neither title nor description</span>
        )}
      </span>
      <Link className="shrink-0 text-soft underline" to={`../texts?${search}`}>
        Edit texts
      </Link>
    </p>
  );
}

function ClaimsAbout({ selection }: { selection: Selection }) {
  const { claims, model, names, measures } = useModel();
  const [meant] = useParam('claim');
  const isGone = !{
    table: () => names.table(selection.name) !== undefined,
    column: () => names.path(selection.name) !== undefined,
    measure: () => measures.some((m) => sameName(m.name, selection.name)),
    hierarchy: () => names.hierarchy(selection.name) !== undefined,
    perspective: () => (model.perspectives ?? []).some((p) => sameName(p.name, selection.name)),
    // Its ends say so themselves.
    relationship: () => true,
    claim: () => true,
  }[selection.kind]();
  if (!claims) return <p className="p-4 text-soft">Finding claims …</p>;
  const rank = (c: JudgedClaim) => (c.id === meant ? -1 : RANK[c.verdict]);
  const found = claims.claims
    .filter((c) => isAbout(c.about, selection, c.subject, c.id))
    .sort((a, b) => rank(a) - rank(b));
  const open = found.filter((c) => c.verdict !== 'holds' || selection.kind === 'claim' || c.id === meant);
  const holding = found.filter((c) => !open.includes(c));
  if (found.length === 0)
    return (
      <p className="border-b border-rule p-4 text-soft">
        {isGone ? `This ${selection.kind} does not exist any more.` : 'No claims about this.'}
      </p>
    );
  return (
    <section aria-label="Claims" className="border-b border-rule">
      {open.map((claim) => (
        <ClaimCard key={claim.id} claim={claim} />
      ))}
      {holding.length > 0 && (
        <details open={open.length === 0} className="px-4 py-2">
          <summary className="cursor-pointer text-soft">
            {many(holding.length, 'claim')} hold{holding.length === 1 ? 's' : ''}
          </summary>
          <ul className="mt-1">
            {holding.map((claim) => (
              <ClaimLine key={claim.id} claim={claim} />
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}

/**
 * With nothing selected: what is broken on this stage, what to do next, and how many claims are broken
 * elsewhere.
 */
function Overview() {
  const { id, claims, model } = useModel();
  const stage = useStage();
  const alone = useMemo(() => tablesInNoStar(model).length, [model]);
  const isEnded = claims && (claims.done || claims.failure !== undefined);
  if (!claims || (!isEnded && claims.claims.length === 0))
    return <p className="p-4 text-soft">Finding claims …</p>;
  const broken = claims.claims
    .filter((c) => c.verdict === 'broken')
    .sort((a, b) => (a.weight === b.weight ? 0 : a.weight === 'blocks' ? -1 : 1));
  const here = stage ? broken.filter((c) => stage.kinds.includes(c.kind)) : broken;
  return (
    <>
      <BrokenClaims
        claims={here}
        title={
          isEnded || here.length > 0
            ? titleOf(claims.claims.length, here.length, stage, alone)
            : 'Judging the claims …'
        }
      />
      {claims.claims.length === 0 && (
        <p className="border-b border-rule p-4 text-soft">
          Claims appear as soon as the model has tables with keys and relationships. Select something to see
          the evidence on it.
        </p>
      )}
      {stage && <NextSteps stage={stage.path} />}
      {broken.length > 0 && !isLookKnown(id) && (
        <p className="border-b border-rule px-4 py-3">
          <button className="btn" onClick={beginLook}>
            Take the first look
          </button>{' '}
          <span className="text-soft">the things most worth knowing, each with its rows</span>
        </p>
      )}
      {broken.length > here.length && (
        <p className="px-4 py-3 text-soft">
          <Link className="underline" to="../claims">
            {many(broken.length - here.length, 'broken claim')}
          </Link>{' '}
          on other stages
        </p>
      )}
    </>
  );
}

/** Stages at which a table without a star is to be done something about. */
const OF_STARS: ReadonlySet<string> = new Set(['intake', 'shape', 'stars']);

/** Nothing is said to be well while tables stand beside all stars: hardly any claims are made of them. */
function titleOf(all: number, here: number, stage: Stage | undefined, alone: number): string {
  if (here > 0) return many(here, 'broken claim');
  if (alone > 0 && stage && OF_STARS.has(stage.path)) return `${many(alone, 'table')} in no star`;
  if (all === 0) return 'No claims yet';
  return stage ? `No broken claims on ${stage.name}` : 'No broken claims';
}

function useStage(): Stage | undefined {
  const { pathname } = useLocation();
  return STAGES.find((s) => pathname.endsWith(`/${s.path}`));
}

function BrokenClaims({ claims, title }: { claims: readonly JudgedClaim[]; title: string }) {
  const go = useGo();
  return (
    <section aria-label="Broken claims">
      <header className="flex min-h-[42px] items-center border-b border-rule px-4 py-2">
        <h2 className="text-[15px]">{title}</h2>
      </header>
      <ul>
        {claims.slice(0, MOST_CLAIMS).map((claim) => (
          <li key={claim.id}>
            <button
              className="rowlink border-b border-rule px-4 py-[6px]"
              onClick={() => go(stageOfKind(claim.kind), objectOf(claim), claim.id)}
            >
              <ClaimLine claim={claim} plain />
            </button>
          </li>
        ))}
      </ul>
      {claims.length > MOST_CLAIMS && (
        <p className="border-b border-rule px-4 py-2 text-soft">
          <Link className="underline" to="../claims">
            {many(claims.length - MOST_CLAIMS, 'more claim')}
          </Link>
        </p>
      )}
    </section>
  );
}

/** More are read on the page of claims, which has them in groups. */
const MOST_CLAIMS = 40;
const MOST_STEPS = 8;

function NextSteps({ stage }: { stage: string }) {
  const { model, state, audience } = useModel();
  const [, select] = useSelection();
  const steps = useMemo(
    () =>
      nextSteps(
        stage,
        model,
        state.stored.map((t) => t.name),
      ),
    [stage, model, state.stored],
  );
  // An audience has nothing to do here.
  if (steps.length === 0 || audience) return null;
  return (
    <section aria-label="Next steps" className="border-b border-rule px-4 py-3">
      <h2 className="text-[14px]">Next steps</h2>
      <ul className="mt-1">
        {steps.slice(0, MOST_STEPS).map((step) => (
          <li key={step.says} className="py-[2px]">
            {step.select ? (
              <button className="rowlink" onClick={() => select(step.select)}>
                {step.says}
              </button>
            ) : (
              step.says
            )}
          </li>
        ))}
      </ul>
      {steps.length > MOST_STEPS && <p className="text-soft">and {count(steps.length - MOST_STEPS)} more</p>}
    </section>
  );
}

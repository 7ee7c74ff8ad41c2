import { JudgingFailed } from '../evidence/JudgingFailed.tsx';
import { useMemo } from 'react';
import type { JudgedClaim, Verdict } from '@crease/core/claims';
import { claimsCsv, claimsSarif } from '@crease/core/interchange';
import { writeModel } from '@crease/core/model';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Leaves, LeafHead, Blank } from '../frame/Leaves.tsx';
import { useModel } from '../state/model.tsx';
import { saveFile } from '../state/save.ts';
import { useParam, useSelection } from '../state/selection.ts';
import { EvidenceLeaf } from '../evidence/EvidenceLeaf.tsx';
import { drawnAtOnce, InChunks } from '../parts/InChunks.tsx';
import { VerdictMark } from '../parts/Marks.tsx';
import { count, many } from '../parts/text.ts';

const VERDICTS: readonly Verdict[] = ['broken', 'unchecked', 'waived', 'holds'];
const FIRST_SHOWN = 'broken,unchecked,waived';
const GROUPS = ['kind', 'table', 'weight', 'verdict'] as const;
type Group = (typeof GROUPS)[number];
/** How high a claim is in the list, in pixels. */
const ROW_HEIGHT = 30;

/** All claims in one list: filtered, grouped, linked to, and exported. What is shown is in the address. */
export function ClaimsStage() {
  const { claims, model } = useModel();
  const [verdicts = FIRST_SHOWN, setVerdicts] = useParam('show');
  const [search = '', setSearch] = useParam('find');
  const [weight = '', setWeight] = useParam('weight');
  const [by, setBy] = useParam('by');
  const group = GROUPS.find((g) => g === by) ?? 'kind';
  /** What is shown at first needs no place in the address. */
  const unless = (value: string, first: string) => (value === first ? undefined : value);
  const found = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    const shown = verdicts.split(',');
    return (claims?.claims ?? []).filter(
      (c) =>
        shown.includes(c.verdict) &&
        (weight === '' || c.weight === weight) &&
        words.every((w) => `${c.id} ${c.says}`.toLowerCase().includes(w)),
    );
  }, [claims, verdicts, weight, search]);
  const groups = useMemo(() => {
    const all = [...Map.groupBy(found, (c) => groupOf(c, group))];
    const drawn = drawnAtOnce(all.map(([, list]) => list.length));
    return all.map(([title, list], i) => ({ title, list, drawn: drawn[i]! }));
  }, [found, group]);
  const toggle = (verdict: Verdict) => {
    const before = verdicts.split(',').filter(Boolean);
    const next = before.includes(verdict) ? before.filter((v) => v !== verdict) : [...before, verdict];
    setVerdicts(unless(VERDICTS.filter((v) => next.includes(v)).join(','), FIRST_SHOWN));
  };
  const file = `${model.name}.crease.json`;
  const exports = [
    {
      says: 'JSON',
      save: () =>
        saveFile(
          `${model.name}.claims.json`,
          JSON.stringify({ model: model.name, claims: found, summary: claims?.summary }, null, 2),
          'application/json',
        ),
    },
    { says: 'CSV', save: () => saveFile(`${model.name}.claims.csv`, claimsCsv(found), 'text/csv') },
    {
      says: 'SARIF 2.1.0, for pipelines',
      save: () =>
        saveFile(
          `${model.name}.claims.sarif`,
          claimsSarif(found, { model, file, text: writeModel(model) }),
          'application/sarif+json',
        ),
    },
  ];
  const design = (
    <>
      <ClaimsHead found={found} exports={exports} />
      <JudgingFailed failure={claims?.failure} />
      <ClaimFilters
        verdicts={verdicts}
        toggle={toggle}
        weight={weight}
        setWeight={setWeight}
        unless={unless}
        group={group}
        setBy={setBy}
        search={search}
        setSearch={setSearch}
      />
      <div className="min-h-0 flex-1 overflow-auto">
        {claims && found.length === 0 && (
          <Blank>
            {claims.claims.length === 0
              ? 'The model makes no claims yet: bring in tables first.'
              : 'No claim is shown: choose more verdicts above, or other words.'}
          </Blank>
        )}
        {groups.map(({ title, list, drawn }) => (
          <ClaimGroup key={title} title={title} claims={list} drawn={drawn} />
        ))}
      </div>
    </>
  );
  return <Leaves label="Claims" design={design} evidence={<EvidenceLeaf />} />;
}

function groupOf(claim: JudgedClaim, by: Group): string {
  if (by === 'kind') return claim.kind;
  if (by === 'weight') return claim.weight === 'blocks' ? 'blocks a release' : 'warns';
  if (by === 'verdict') return claim.verdict;
  const about = claim.about.find((a) => a.table !== undefined) ?? claim.about[0];
  return (
    about?.table ??
    about?.hierarchy?.split('.')[0] ??
    about?.measure ??
    about?.perspective ??
    about?.relationship ??
    claim.subject
  );
}

function ClaimGroup({
  title,
  claims,
  drawn,
}: {
  title: string;
  claims: readonly JudgedClaim[];
  drawn: number;
}) {
  return (
    <section aria-label={title}>
      <h2 className="eyebrow sticky top-0 z-10 border-b border-rule bg-paper px-4 py-1 font-sans">
        {title} · {many(claims.length, 'claim')}
      </h2>
      <InChunks list={claims} rowHeight={ROW_HEIGHT} drawn={drawn}>
        {(claim, i) => <ClaimRow key={`${claim.id}${i}`} claim={claim} />}
      </InChunks>
    </section>
  );
}

function ClaimRow({ claim }: { claim: JudgedClaim }) {
  const [selection, select] = useSelection();
  const current = selection?.kind === 'claim' && selection.name === claim.id;
  return (
    <button
      className="rowlink flex items-baseline gap-3 border-b border-rule px-4 py-[5px]"
      aria-current={current}
      onClick={() => select({ kind: 'claim', name: claim.id })}
    >
      <span className="relative top-[1px]">
        <VerdictMark verdict={claim.verdict} size={11} />
      </span>
      <span className="min-w-0 flex-1 truncate">{claim.says}</span>
      <span className="text-[11px] text-soft">{claim.verdict === 'broken' ? claim.weight : ''}</span>
      <span className="num w-[70px] font-semibold text-vermilion">
        {claim.evidence.against > 0 ? count(claim.evidence.against) : ''}
      </span>
      <span className="num w-[80px] text-soft" title="looked at">
        {count(claim.evidence.checked)}
      </span>
    </button>
  );
}

/** How far judging is, and files of what is shown. */
function ClaimsHead({
  found,
  exports,
}: {
  found: readonly JudgedClaim[];
  exports: { says: string; save: () => void }[];
}) {
  const { claims } = useModel();
  return (
    <LeafHead
      title="Claims"
      note={
        claims && claims.failure === undefined
          ? claims.done
            ? `judged in ${count(claims.elapsedMs)} ms`
            : 'being judged …'
          : ''
      }
    >
      <Menu as="span" className="relative">
        <MenuButton className="btn" disabled={found.length === 0}>
          Save {found.length === claims?.claims.length ? 'all' : count(found.length)} as …
        </MenuButton>
        <MenuItems anchor="bottom end" className="z-20 border border-ink bg-raised py-1 shadow-md">
          {exports.map((e) => (
            <MenuItem key={e.says}>
              <button className="block w-full px-3 py-1 text-left data-focus:bg-paper" onClick={e.save}>
                {e.says}
              </button>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
    </LeafHead>
  );
}

/** Which claims are shown, and how they are grouped. */
function ClaimFilters({
  verdicts,
  toggle,
  weight,
  setWeight,
  unless,
  group,
  setBy,
  search,
  setSearch,
}: {
  verdicts: string;
  toggle: (verdict: Verdict) => void;
  weight: string;
  setWeight: (value: string | undefined) => void;
  unless: (value: string, first: string) => string | undefined;
  group: 'table' | 'kind' | 'weight' | 'verdict';
  setBy: (value: string | undefined) => void;
  search: string;
  setSearch: (value: string | undefined) => void;
}) {
  const { claims } = useModel();
  return (
    <div
      className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-2"
      role="group"
      aria-label="Which claims"
    >
      {VERDICTS.map((v) => (
        <button
          key={v}
          className="btn"
          aria-pressed={verdicts.split(',').includes(v)}
          onClick={() => toggle(v)}
        >
          <VerdictMark verdict={v} size={11} /> {v} {count(claims?.summary[v] ?? 0)}
        </button>
      ))}
      <select
        className="field"
        aria-label="Weight"
        value={weight}
        onChange={(e) => setWeight(unless(e.target.value, ''))}
      >
        <option value="">any weight</option>
        <option value="blocks">blocks a release</option>
        <option value="warns">warns</option>
      </select>
      <label className="flex items-center gap-1 text-soft">
        by
        <select
          className="field"
          aria-label="Grouped by"
          value={group}
          onChange={(e) => setBy(unless(e.target.value, 'kind'))}
        >
          {GROUPS.map((g) => (
            <option key={g}>{g}</option>
          ))}
        </select>
      </label>
      <input
        className="field min-w-[120px] flex-1"
        placeholder="Filter"
        aria-label="Filter"
        value={search}
        onChange={(e) => setSearch(unless(e.target.value, ''))}
      />
    </div>
  );
}

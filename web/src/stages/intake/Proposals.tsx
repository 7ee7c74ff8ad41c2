import type { ProposalsState } from '@crease/contract';
import type { Model } from '@crease/core/model';
import type { ProposalKind } from '@crease/core/propose';
import { useMemo, useState } from 'react';
import type { Decided, DecidedUse, Proposal, ReferencePattern } from '@crease/core/propose';
import { REFERENCE_PATTERNS } from '@crease/core/propose';
import type { Table } from '@crease/core/model';
import { factToFact, factToFactText, tablesInNoStar } from '@crease/core/stars';
import type { BodyOf } from '@crease/contract';
import { api } from '@crease/contract';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { Blank, LeafHead } from '../../frame/Leaves.tsx';
import { many } from '../../parts/text.ts';
import { draftedModel } from './proposalChoices.ts';
import { KeptRoles, KeptUses, ProposalRow } from './ProposalRow.tsx';

const KINDS: readonly (readonly [Proposal['kind'], string])[] = [
  ['type', 'Types that keys need to match'],
  ['key', 'Keys'],
  ['column', 'Derived columns'],
  ['relationship', 'Relationships'],
  ['hierarchy', 'Hierarchies'],
  ['role', 'Roles of tables'],
  ['use', 'Uses of columns'],
  ['label', 'Labels'],
  ['calendar', 'Calendars'],
  ['measure', 'Base measures'],
];

/**
 * Drafted star, part by part with its evidence: leave out or change what is wrong, and accept the rest as one
 * edit. What rests on a part that is changed is drafted anew.
 */
export function Proposals({ onBack }: { onBack: () => void }) {
  const { id, model, state, edit } = useModel();
  const go = useGo();
  const [pattern, setPattern] = useState<ReferencePattern>('names and values');
  const [decided, setDecided] = useState<Decided>({});
  const left = useMemo(() => new Set(decided.left), [decided]);
  const asked: BodyOf<typeof api.questions.draft> = {
    pattern,
    roles: decided.roles,
    uses: decided.uses,
    left: decided.left && [...decided.left],
  };
  const { data, error, isValidating } = useAnswer(
    api.questions.draft,
    { id },
    { body: asked, of: state.revision.id, keepPreviousData: true },
  );
  const proposals = useMemo(() => data?.proposals ?? [], [data]);
  const chosen = useMemo(() => proposals.filter((p) => !left.has(p.id)), [proposals, left]);
  const groups = useMemo(() => Map.groupBy(proposals, (p) => p.kind), [proposals]);
  const drafted = useMemo(() => draftedModel(model, chosen), [chosen, model]);
  const alone = useMemo(() => tablesInNoStar(drafted), [drafted]);
  const betweenFacts = useMemo(() => factToFact(drafted), [drafted]);
  const toggle = (ids: readonly string[], take: boolean) =>
    setDecided((before) => {
      const others = (before.left ?? []).filter((x) => !ids.includes(x));
      return { ...before, left: take ? others : [...others, ...ids] };
    });
  const setRole = (table: string, role: Table['role']) =>
    setDecided((before) => ({ ...before, roles: { ...before.roles, [table]: role } }));
  const setUse = (path: string, use: DecidedUse) =>
    setDecided((before) => ({ ...before, uses: { ...before.uses, [path]: use } }));
  const accept = async () => {
    if (
      await edit(
        chosen.flatMap((p) => p.edit),
        `accept ${many(chosen.length, 'proposal')} for the star`,
      )
    )
      go('stars');
  };
  return (
    <>
      <DraftHead
        data={data}
        proposals={proposals}
        pattern={pattern}
        setPattern={setPattern}
        onBack={onBack}
        chosen={chosen}
        isValidating={isValidating}
        accept={accept}
      />
      <div className="min-h-0 flex-1 overflow-auto" aria-busy={isValidating}>
        {isValidating && (
          <p role="status" className="border-b border-rule px-4 py-1 text-soft">
            {data ? 'Drafting what rests on it …' : 'Comparing columns …'}
          </p>
        )}
        {error && <Blank>{error.message}</Blank>}
        {data && proposals.length === 0 && (
          <Blank>Nothing to add: the model already has what the rows suggest.</Blank>
        )}
        {data && alone.length > 0 && (
          <p role="note" aria-label="In no star" className="border-b border-rule bg-raised px-4 py-2">
            <b>{many(alone.length, 'table')} in no star:</b>{' '}
            {alone.map((t) => `${t.name} (${t.role})`).join(', ')}
          </p>
        )}
        {betweenFacts.map((between) => (
          <p
            key={between.relationship.name}
            role="note"
            aria-label="From fact to fact"
            className="border-b border-rule bg-raised px-4 py-2"
          >
            {factToFactText(between)}
          </p>
        ))}
        {KINDS.map(([kind, title]) => {
          const list = groups.get(kind) ?? [];
          const isChoice = kind === 'role' || kind === 'use';
          if (list.length === 0 && !(isChoice && proposals.length > 0)) return null;
          const ids = list.map((p) => p.id);
          return (
            <ProposalGroup
              key={kind}
              title={title}
              ids={ids}
              left={left}
              toggle={toggle}
              list={list}
              setRole={setRole}
              setUse={setUse}
              kind={kind}
              drafted={drafted}
            />
          );
        })}
      </div>
    </>
  );
}

/** How the draft is made, and its acceptance. */
function DraftHead({
  data,
  proposals,
  pattern,
  setPattern,
  onBack,
  chosen,
  isValidating,
  accept,
}: {
  data: ProposalsState | undefined;
  proposals: readonly Proposal[];
  pattern: 'names and values' | 'same name' | 'table and key' | 'values alone';
  setPattern: (next: 'names and values' | 'same name' | 'table and key' | 'values alone') => void;
  onBack: () => void;
  chosen: readonly Proposal[];
  isValidating: boolean;
  accept: () => Promise<void>;
}) {
  return (
    <LeafHead title="Drafted star" note={data ? many(proposals.length, 'proposal') : ''}>
      <label
        className="flex items-center gap-1 text-soft"
        title="How references are found where none is declared"
      >
        references by
        <select
          className="field"
          value={pattern}
          onChange={(e) => setPattern(e.target.value as ReferencePattern)}
        >
          {REFERENCE_PATTERNS.map((p) => (
            <option key={p}>{p}</option>
          ))}
        </select>
      </label>
      <button className="btn" onClick={onBack}>
        Back
      </button>
      <button
        className="btn btn-act"
        disabled={chosen.length === 0 || isValidating}
        onClick={() => void accept()}
      >
        Accept {chosen.length === proposals.length ? 'all' : many(chosen.length, 'proposal')}
      </button>
    </LeafHead>
  );
}

/** Proposals of one kind. */
function ProposalGroup({
  title,
  ids,
  left,
  toggle,
  list,
  setRole,
  setUse,
  kind,
  drafted,
}: {
  title: string;
  ids: readonly string[];
  left: ReadonlySet<string>;
  toggle: (ids: readonly string[], take: boolean) => void;
  list: readonly Proposal[];
  setRole: (table: string, role: Table['role']) => void;
  setUse: (path: string, use: DecidedUse) => void;
  kind: ProposalKind;
  drafted: Model;
}) {
  return (
    <section aria-label={title}>
      <h2 className="eyebrow sticky top-0 z-10 flex items-center gap-3 border-b border-rule bg-paper px-4 py-1 font-sans">
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={ids.every((x) => !left.has(x))}
            disabled={ids.length === 0}
            onChange={(e) => toggle(ids, e.target.checked)}
          />{' '}
          {title} · {list.length}
        </label>
      </h2>
      {list.map((p) => (
        <ProposalRow
          key={p.id}
          proposal={p}
          left={left.has(p.id)}
          onTake={(take) => toggle([p.id], take)}
          onRole={setRole}
          onUse={setUse}
        />
      ))}
      {kind === 'role' && <KeptRoles drafted={drafted} proposals={list} onRole={setRole} />}
      {kind === 'use' && <KeptUses drafted={drafted} proposals={list} onUse={setUse} />}
    </section>
  );
}

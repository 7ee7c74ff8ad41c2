import type { Edit } from '@crease/core/edit';
import { quoteName } from '@crease/core/formula';
import type { Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { matchVersions } from '@crease/core/edit';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';

type Change = Extract<Edit[number], { do: 'set-table' }>['change'];
type Validity = NonNullable<Table['validity']>;

/**
 * The days between which a row of a dimension is the version of its member that is valid, where it keeps
 * versions.
 */
export function Versions({ table, onSet }: { table: Table; onSet: (change: Change, says: string) => void }) {
  const { model, edit } = useModel();
  const go = useGo();
  const days = table.columns.filter((c) => c.type === 'date' || c.type === 'timestamp').map((c) => c.name);
  const { validity } = table;
  if (days.length < 2 && !validity) return null;
  const current = `${table.name}_current`;
  const taken = model.tables.some((t) => sameName(t.name, current));
  const say = (part: Partial<Validity>) => {
    const guess = (pattern: RegExp) => days.find((d) => pattern.test(d)) ?? days[0]!;
    const first = {
      of: table.columns.slice(0, 1).map((c) => c.name),
      from: guess(/from|start|begin/i),
      to: guess(/to$|until|end/i),
    };
    const next: Validity = { ...first, ...validity, ...part };
    onSet(
      { validity: next },
      `rows of ${table.name} are versions of ${next.of.join(', ')}, valid from ${next.from} to ${next.to}`,
    );
  };
  const derive = async ({ of, to }: Validity) => {
    const columns = table.columns
      .filter((c) => c.formula === undefined)
      .map(({ name, type, use, aggregate }) => ({
        name,
        type,
        ...(use ? { use } : {}),
        ...(aggregate ? { aggregate } : {}),
      }));
    const source = { steps: [{ from: table.name }, { filter: `${quoteName(to)} is null` }] };
    const value = { name: current, role: 'dimension' as const, key: of, source, columns };
    if (await edit([{ do: 'put-tables', name: null, value }], `derive the current rows of ${table.name}`))
      go('shape', { kind: 'table', name: current }, undefined, 'steps');
  };
  return (
    <>
      <span className="text-soft">rows are versions of</span>
      <span className="flex flex-wrap items-center gap-1">
        <Choose
          label="Versions of"
          value={validity?.of[0]}
          options={table.columns.map((c) => c.name)}
          onChange={(name) => say({ of: [name] })}
        />
        {validity && (
          <>
            <span>valid from</span>
            <Choose
              label="Valid from"
              value={validity.from}
              options={days}
              onChange={(from) => say({ from })}
            />
            <span>to</span>
            <Choose label="Valid to" value={validity.to} options={days} onChange={(to) => say({ to })} />
            <button
              className="btn h-[24px]"
              disabled={taken}
              onClick={() => void derive(validity)}
              title={`A table ${current} of the rows whose end is open`}
            >
              Derive the current rows
            </button>
            <MatchFacts dimension={table} />
          </>
        )}
      </span>
    </>
  );
}

/** Facts that name a member and a day: each row can refer to the version of that day. */
function MatchFacts({ dimension }: { dimension: Table }) {
  const { model, edit } = useModel();
  const go = useGo();
  const { of } = dimension.validity!;
  const matches = model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((fact) => {
      const related = (model.relationships ?? []).find(
        (r) => sameName(r.from.table, fact.name) && sameName(r.to.table, dimension.name),
      );
      // Already matched: it refers to more than the member.
      if (related && !related.to.columns.every((c) => of.some((name) => sameName(name, c)))) return [];
      const members = of.map((name) => {
        const at = related?.to.columns.findIndex((c) => sameName(c, name)) ?? -1;
        return at >= 0 ? related!.from.columns[at] : fact.columns.find((c) => sameName(c.name, name))?.name;
      });
      if (members.some((m) => m === undefined)) return [];
      return fact.columns
        .filter((c) => c.type === 'date')
        .map((c) => ({ fact, at: c.name, members: members as string[] }));
    });
  if (matches.length === 0) return null;
  return (
    <select
      className="field h-[24px]"
      value=""
      aria-label="Match a fact to the version of its day"
      title="Each row of the fact then refers to the version that is valid on its day"
      onChange={(e) => {
        const { fact, at, members } = matches[Number(e.target.value)]!;
        const made = matchVersions(model, { fact, dimension, members, at });
        if (!made) return;
        void edit(made, `rows of ${fact.name} refer to the version of ${dimension.name} on their ${at}`).then(
          (done) => done && go('shape', { kind: 'table', name: fact.name }, undefined, 'steps'),
        );
      }}
    >
      <option value="">match a fact …</option>
      {matches.map(({ fact, at }, i) => (
        <option key={`${fact.name}.${at}`} value={i}>
          {fact.name} by {at}
        </option>
      ))}
    </select>
  );
}

function Choose({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string | undefined;
  options: readonly string[];
  onChange: (name: string) => void;
}) {
  return (
    <select
      className="field h-[24px]"
      aria-label={label}
      value={value ?? ''}
      onChange={(e) => onChange(e.target.value)}
    >
      {value === undefined && <option value="">nothing: it keeps none</option>}
      {options.map((o) => (
        <option key={o}>{o}</option>
      ))}
    </select>
  );
}

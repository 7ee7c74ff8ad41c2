import { useMemo } from 'react';
import { factToFact, factToFactText } from '@crease/core/stars';
import { api } from '@crease/contract';
import { useAnswer } from '../state/useAnswer.ts';
import { useModel } from '../state/model.tsx';
import type { Selection } from '../state/selection.ts';
import { useSelection } from '../state/selection.ts';
import { Distribution } from '../parts/Marks.tsx';
import { RowGrid } from '../parts/RowGrid.tsx';
import { bytes, cellText, count, percent } from '../parts/text.ts';

export function useColumnFacts(table: string | undefined) {
  const { id } = useModel();
  return useAnswer(api.questions.columns, table === undefined ? undefined : { id, table });
}

/** What the rows tell of the selection, beside its claims. */
export function SelectionFacts({ selection }: { selection: Selection }) {
  const { names } = useModel();
  if (selection.kind === 'table' && names.table(selection.name))
    return <TableRows table={names.table(selection.name)!.name} />;
  if (selection.kind === 'column') {
    const found = names.path(selection.name);
    return found ? <ColumnDetail table={found.table.name} column={found.column.name} /> : null;
  }
  if (selection.kind === 'relationship') return <RelationshipEnds name={selection.name} />;
  return null;
}

function RelationshipEnds({ name }: { name: string }) {
  const { names, model } = useModel();
  const r = names.relationship(name);
  const between = useMemo(() => factToFact(model).find((f) => f.relationship === r), [model, r]);
  const from = useColumnFacts(r?.from.table);
  const to = useColumnFacts(r?.to.table);
  if (!r) return <p className="p-4 text-soft">This relationship does not exist any more.</p>;
  const ends = [
    { end: r.from, facts: from.data, role: 'from' },
    { end: r.to, facts: to.data, role: 'to' },
  ];
  return (
    <section className="grid grid-cols-2 gap-4 p-4" aria-label="The two ends">
      {between && (
        <p role="note" className="col-span-2">
          {factToFactText(between)}
        </p>
      )}
      {ends.map(({ end, facts, role }) => (
        <div key={role}>
          <p className="eyebrow">{role}</p>
          {end.columns.map((c) => {
            const found = facts?.find((f) => f.name.toLowerCase() === c.toLowerCase());
            return (
              <div key={c} className="mb-2">
                <p className="font-semibold">
                  {end.table}.{c}
                </p>
                {found && found.fault === undefined && (
                  <>
                    <p className="text-soft">
                      {count(found.rows)} rows · {count(found.distinct)} distinct ·{' '}
                      {found.nulls === 0 ? 'no nulls' : `${count(found.nulls)} null`}
                    </p>
                    <p className="text-soft">
                      {cellText(found.least)} … {cellText(found.greatest)}
                    </p>
                    <Distribution
                      rows={found.distribution}
                      width={150}
                      height={26}
                      label={`Rows of ${c} by ranges of its values`}
                    />
                  </>
                )}
              </div>
            );
          })}
        </div>
      ))}
    </section>
  );
}

function ColumnDetail({ table, column }: { table: string; column: string }) {
  const { data, error } = useColumnFacts(table);
  const facts = data?.find((f) => f.name === column);
  if (error) return <p className="p-4 text-soft">{error.message}</p>;
  if (!facts) return <p className="p-4 text-soft">Counting …</p>;
  if (facts.fault !== undefined) return <p className="p-4 text-soft">{facts.fault}</p>;
  return (
    <section className="p-4" aria-label="The column's values">
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-[2px]">
        <dt className="text-soft">rows</dt>
        <dd>{count(facts.rows)}</dd>
        <dt className="text-soft">distinct</dt>
        <dd>{count(facts.distinct)}</dd>
        <dt className="text-soft">null</dt>
        <dd>
          {count(facts.nulls)} ({percent(facts.rows ? facts.nulls / facts.rows : 0)})
        </dd>
        <dt className="text-soft">least, greatest</dt>
        <dd className="break-words">
          {cellText(facts.least)} … {cellText(facts.greatest)}
        </dd>
        <dt className="text-soft">encoding</dt>
        <dd>
          {facts.encoding}, {bytes(facts.bytes)}
        </dd>
      </dl>
      <div className="my-3">
        <Distribution
          rows={facts.distribution}
          width={260}
          height={44}
          label="Rows by ranges of its values"
        />
      </div>
      <table className="grid-plain">
        <thead>
          <tr>
            <th scope="col">most frequent values</th>
            <th scope="col" className="num">
              rows
            </th>
          </tr>
        </thead>
        <tbody>
          {facts.frequent.map((f, i) => (
            <tr key={i}>
              <td className="break-words">{cellText(f.value)}</td>
              <td className="num">{count(f.rows)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function TableRows({ table }: { table: string }) {
  const { id, state } = useModel();
  const [, select] = useSelection();
  const { data, error } = useAnswer(api.questions.rows, { id, table, count: 100 });
  const stored = state.stored.find((s) => s.name === table);
  if (error) return <p className="p-4 text-soft">{error.message}</p>;
  if (!data) return <p className="p-4 text-soft">Reading rows …</p>;
  return (
    <section aria-label={`Rows of ${table}`} className="min-w-0 p-4">
      <p className="mb-2 text-soft">
        {count(data.total)} rows{stored ? ` · ${bytes(stored.bytes)} stored` : ''}; the first{' '}
        {count(data.rows.length)}:
      </p>
      {stored && stored.problems.length > 0 && (
        <details className="mb-2 border-l-2 border-vermilion pl-3">
          <summary className="cursor-pointer">
            {count(stored.problems.length)} lines of the file were left out
          </summary>
          <ul>
            {stored.problems.map((p, i) => (
              <li key={i}>
                line {p.line}: {p.message}
                {p.text !== undefined && <span className="text-soft"> · {p.text}</span>}
              </li>
            ))}
          </ul>
        </details>
      )}
      <RowGrid
        page={data}
        label={`The first rows of ${table}`}
        onColumn={(name) => select({ kind: 'column', name: `${table}.${name}` })}
      />
    </section>
  );
}

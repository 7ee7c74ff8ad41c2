import { useState } from 'react';
import { api } from '@crease/contract';
import type { Match } from '@crease/core/relate';
import type { Edit } from '@crease/core/edit';
import { dayOfMoment } from '@crease/core/edit';
import type { Cardinality, Model, Relationship, Table } from '@crease/core/model';
import { endText, freeName } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import type { ColumnEnd } from '../../parts/diagram/layout.ts';
import { Gauge, VerdictMark } from '../../parts/Marks.tsx';
import { count, percent } from '../../parts/text.ts';

/** The cardinality that the rows show. */
function shownCardinality(match: Match): Cardinality {
  return match.toUnique
    ? match.fromUnique
      ? 'one-to-one'
      : 'many-to-one'
    : match.fromUnique
      ? 'many-to-one'
      : 'many-to-level';
}

/** The end that days start from: of a moment beside a day, a derived column. */
function daysOfMoments(
  model: Model,
  { from, to }: { from: Relationship['from']; to: Relationship['to'] },
): { from: Relationship['from']; edit: Edit } {
  const [start, target] = [from, to].map((end) => model.tables.find((t) => t.name === end.table));
  const typeOf = (table: Table | undefined, name: string | undefined) =>
    table?.columns.find((c) => c.name === name)?.type;
  const days = from.columns.map((name, i) =>
    typeOf(start, name) === 'timestamp' && typeOf(target, to.columns[i]) === 'date'
      ? dayOfMoment(start!, name)
      : { name, edit: [] },
  );
  return {
    from: { table: from.table, columns: days.map((d) => d.name) },
    edit: days.flatMap((d) => d.edit),
  };
}

/** Relating a column to another: what the rows say first, then the decision. */
export function RelateForm({
  from: givenFrom,
  to: givenTo,
  onDone,
}: {
  from: ColumnEnd | undefined;
  to: ColumnEnd | undefined;
  onDone: () => void;
}) {
  const { id, model, state, edit } = useModel();
  const [, select] = useSelection();
  const [from, setFrom] = useState(givenFrom);
  const [to, setTo] = useState(givenTo);
  /** Further pairs of columns of a key that is made of several. */
  const [more, setMore] = useState<readonly (readonly [string, string])[]>([]);
  const [cardinality, setCardinality] = useState<Cardinality>();
  const ready = from?.column && to?.column && more.every(([a, b]) => a !== '' && b !== '');
  const ends = {
    from: { table: from?.table ?? '', columns: [from?.column ?? '', ...more.map(([a]) => a)] },
    to: { table: to?.table ?? '', columns: [to?.column ?? '', ...more.map(([, b]) => b)] },
  };
  const { data: match, error } = useAnswer(api.questions.match, ready ? { id } : undefined, {
    body: ends,
    of: state.revision.id,
  });
  const chosen = cardinality ?? (match ? shownCardinality(match) : 'many-to-one');
  const isDesigned = [from, to].some(
    (end) => model.tables.find((t) => t.name === end?.table)?.source === undefined,
  );
  // Of a moment beside a day its day is compared, which becomes a column of its own.
  const days = daysOfMoments(model, ends);
  const relate = async () => {
    const name = freeName(`${from!.table}_${to!.table}`, model.relationships ?? []);
    const value = { name, from: days.from, to: ends.to, cardinality: chosen };
    if (
      await edit(
        [...days.edit, { do: 'put-relationships', name: null, value }],
        `relate ${endText(days.from)} to ${endText(ends.to)}`,
      )
    ) {
      onDone();
      select({ kind: 'relationship', name });
    }
  };
  return (
    <section aria-label="Relate" className="border-b border-rule-strong bg-raised p-4">
      <h2 className="mb-2 text-[15px]">Relate a column to a column</h2>
      <div className="grid grid-cols-[40px_1fr_1fr] items-center gap-2">
        <EndFields label="from" end={from} onChange={setFrom} />
        <EndFields label="to" end={to} onChange={setTo} />
      </div>
      {more.map((pair, i) => (
        <div key={i} className="mt-2 flex items-center gap-2">
          <span className="w-[40px] text-soft">and</span>
          <PairField
            table={from?.table}
            label={`Column ${i + 2} from`}
            value={pair[0]}
            onChange={(a) => setMore(more.map((p, k) => (k === i ? [a, p[1]] : p)))}
          />
          <span>=</span>
          <PairField
            table={to?.table}
            label={`Column ${i + 2} to`}
            value={pair[1]}
            onChange={(b) => setMore(more.map((p, k) => (k === i ? [p[0], b] : p)))}
          />
          <button
            className="btn btn-bare"
            aria-label={`Remove pair ${i + 2}`}
            onClick={() => setMore(more.filter((_, k) => k !== i))}
          >
            ×
          </button>
        </div>
      ))}
      {from?.table && to?.table && more.length < 7 && (
        <button className="btn btn-bare mt-1" onClick={() => setMore([...more, ['', '']])}>
          Add column pair
        </button>
      )}
      {ready && !match && !error && <p className="mt-3 text-soft">Comparing all rows of both …</p>}
      {error && (
        <p className={`mt-3 ${isDesigned ? 'text-soft' : 'text-vermilion'}`}>
          {error.message}. The relationship can be drawn as designed; it is judged once there are rows.
        </p>
      )}
      {match && <MatchFacts match={match} to={ends.to.table} from={ends.from} day={days} />}
      <div className="mt-3 flex items-center gap-2">
        {ready && (match !== undefined || error !== undefined) && (
          <>
            <select
              className="field"
              value={chosen}
              aria-label="Cardinality"
              onChange={(e) => setCardinality(e.target.value as Cardinality)}
            >
              {(['many-to-one', 'one-to-one', 'many-to-level', 'many-to-many'] as const).map((c) => (
                <option key={c}>{c}</option>
              ))}
            </select>
            <button className="btn btn-act" onClick={() => void relate()}>
              Relate
            </button>
          </>
        )}
        <button className="btn btn-bare" onClick={onDone}>
          Cancel
        </button>
      </div>
    </section>
  );
}

/** What the rows of both ends say. */
function MatchFacts({
  match,
  from,
  to,
  day,
}: {
  match: Match;
  from: Relationship['from'];
  to: string;
  /** Of moments: the column that their days become. */
  day: { from: Relationship['from']; edit: Edit };
}) {
  const filled = match.rows - match.nulls;
  return (
    <div className="mt-3">
      {day.edit.length > 0 && (
        <p className="mb-1 text-soft">
          {endText(from)} is a moment: its day becomes the column {endText(day.from)}, which is compared here.
        </p>
      )}
      <p>
        <Gauge
          part={filled ? match.matched / filled : 0}
          width={110}
          label={`${count(match.matched)} of ${count(filled)} rows find a partner`}
        />{' '}
        <b>{percent(filled ? match.matched / filled : 0)}</b> of {count(filled)} filled rows find a partner
        {match.nulls > 0 && `; ${count(match.nulls)} are null`}
      </p>
      <p className="text-soft">
        {count(match.fromDistinct)} distinct values against {count(match.toDistinct)}; each occurs{' '}
        {match.toUnique ? 'once' : 'on several rows'} in {to}
      </p>
      {match.orphans.length > 0 && (
        <p className="mt-1">
          <VerdictMark verdict="broken" size={11} /> without a partner:{' '}
          {match.orphans.map((o) => `${o.value} (${count(o.rows)})`).join(', ')}
        </p>
      )}
    </div>
  );
}

function PairField({
  table,
  label,
  value,
  onChange,
}: {
  table: string | undefined;
  label: string;
  value: string;
  onChange: (column: string) => void;
}) {
  const { model } = useModel();
  const columns = model.tables.find((t) => t.name === table)?.columns ?? [];
  return (
    <select
      className="field min-w-0 flex-1"
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
    >
      <option value="">column …</option>
      {columns.map((c) => (
        <option key={c.name}>{c.name}</option>
      ))}
    </select>
  );
}

function EndFields({
  label,
  end,
  onChange,
}: {
  label: string;
  end: ColumnEnd | undefined;
  onChange: (end: ColumnEnd) => void;
}) {
  const { model } = useModel();
  const table = model.tables.find((t) => t.name === end?.table);
  return (
    <>
      <span className="text-soft">{label}</span>
      <select
        className="field"
        aria-label={`Table ${label}`}
        value={end?.table ?? ''}
        onChange={(e) => onChange({ table: e.target.value, column: '' })}
      >
        <option value="">table …</option>
        {model.tables.map((t) => (
          <option key={t.name}>{t.name}</option>
        ))}
      </select>
      <select
        className="field"
        aria-label={`Column ${label}`}
        value={end?.column ?? ''}
        disabled={!table}
        onChange={(e) => onChange({ table: end!.table, column: e.target.value })}
      >
        <option value="">column …</option>
        {(table?.columns ?? []).map((c) => (
          <option key={c.name}>{c.name}</option>
        ))}
      </select>
    </>
  );
}

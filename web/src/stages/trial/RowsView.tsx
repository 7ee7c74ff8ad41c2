import type { Said } from './said.ts';
import { useState } from 'react';
import { ArrowLeft, Download } from 'lucide-react';
import type { QueryState } from '@crease/contract';
import { csvLine } from '@crease/core/interchange';
import type { AskedCell, DetailListing, Query } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import type { AggregateRows } from '@crease/core/rows';
import { saveFile } from '../../state/save.ts';
import { useAsked } from '../../state/useAsked.ts';
import { useModel } from '../../state/model.tsx';
import { memberText } from '../../parts/format.ts';
import { IconButton } from '../../parts/IconButton.tsx';
import { count, many } from '../../parts/text.ts';
import { AttributePicker } from './AttributePicker.tsx';
import type { CorrectedPlace } from './CorrectValue.tsx';
import { CorrectValue } from './CorrectValue.tsx';
import { canCorrect, placeOf } from './correctable.ts';
import { RowsTable } from './RowsTable.tsx';
import { useSaid } from './said.ts';
import { namedMembers } from './table/laidOut.ts';

/** What of the rows behind a number is looked at; it stands in the address. */
export interface AskedRows {
  readonly cells: readonly AskedCell[];
  /** The question that the cells are of: rows below an opened one have their own. */
  readonly query?: Query | undefined;
  readonly listing?: string | undefined;
  readonly columns?: readonly string[] | undefined;
}

/** Rows that a file holds at most. */
const MOST_SAVED = 100_000;

/**
 * The rows behind a number, in place of the answer: each aggregate of the measure apart, with what its rows
 * add up to; their columns are those of a listing, or chosen.
 */
export function RowsView({
  query: whole,
  asked: { query: own, ...asked },
  onAsk,
  onBack,
}: {
  query: Query;
  asked: AskedRows;
  onAsk: (asked: AskedRows) => void;
  onBack: () => void;
}) {
  const query = own ?? whole;
  const again = (next: AskedRows) => onAsk({ ...(own ? { query: own } : {}), ...next });
  const { model, questions, isReader, audience, tell, fail } = useModel();
  const said = useSaid();
  const [place, setPlace] = useState(0);
  const [correcting, setCorrecting] = useState<CorrectedPlace>();
  const {
    answer: found,
    error,
    isCurrent,
  } = useAsked(['rows', questions.of], { query, ...asked }, (question, signal) =>
    questions.rowsBehind(
      {
        ...question,
        cells: [...question.cells],
        columns: question.columns && [...question.columns],
        keys: true,
      },
      signal,
    ),
  );
  const aggregates = found?.aggregates ?? [];
  const shown = aggregates[place] ?? aggregates[0];
  const listings = (model.detailListings ?? []).filter((l) => shown && sameName(l.table, shown.table));
  const columns = shown?.columns.map((c) => c.name) ?? [];
  const save = () =>
    void questions
      .rowsBehind({
        query,
        cells: [...asked.cells],
        listing: asked.listing,
        columns: asked.columns && [...asked.columns],
        limit: MOST_SAVED,
      })
      .then(({ aggregates: all }) => {
        const one = all[Math.max(0, aggregates.indexOf(shown!))]!;
        const lines = [one.columns.map((c) => c.title ?? c.name), ...one.rows];
        saveFile(`${model.name}.rows.csv`, lines.map((line) => csvLine(line)).join(''), 'text/csv');
        tell({
          tone: 'plain',
          text: `${many(one.rows.length, 'row')} saved${one.more > 0 ? `, ${count(one.more)} more are not` : ''}`,
        });
      }, fail);
  return (
    <div className="flex min-h-0 flex-1 flex-col" aria-label="Rows behind the number" role="region">
      <RowsBar onBack={onBack} asked={asked} aggregates={aggregates} shown={shown} setPlace={setPlace} />
      {error && (
        <p role="alert" className="m-4 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          {error.message}
        </p>
      )}
      {!found && !error && <p className="p-4 text-soft">Finding the rows …</p>}
      {found && aggregates.length === 0 && (
        <p className="p-4 text-soft">
          {isReader
            ? 'The rows of this measure are not part of what is shown here, or it does not apply.'
            : 'The measure does not apply here: there are no rows behind it.'}
        </p>
      )}
      {shown && (
        <>
          <SumLine rows={shown} isCurrent={isCurrent} />
          <ListingBar
            asked={asked}
            again={again}
            said={said}
            shown={shown}
            listings={listings}
            columns={columns}
            save={save}
          />
          <div className="flex min-h-0 flex-1">
            <RowsTable
              rows={shown}
              canCorrect={(column) => !audience && !isReader && canCorrect(model, shown, column)}
              onCorrect={(row, column) => setCorrecting(placeOf(shown, row, column))}
              onRemove={(name) => again({ ...asked, columns: columns.filter((c) => c !== name) })}
            />
            {correcting && (
              <CorrectValue
                key={JSON.stringify(correcting)}
                of={correcting}
                onDone={() => setCorrecting(undefined)}
              />
            )}
          </div>
        </>
      )}
    </div>
  );
}

const cellText = (cells: readonly AskedCell[]): string => {
  const [first] = cells;
  const members = [...(first?.by ?? []), ...(first?.across ?? [])].map((m) =>
    m !== null && typeof m === 'object' && 'key' in m ? m.key.join(' ') : memberText(m, 'text'),
  );
  const more = cells.length > 1 ? ` and ${cells.length - 1} more` : '';
  return `${first?.measure ?? ''}${members.length > 0 ? `: ${members.join(' · ')}` : ' in total'}${more}`;
};

/** What the rows add up to, beside what the answer has. */
function SumLine({
  rows: { rows, more, sum, of, hiddenByListing, standsFor },
  isCurrent,
}: {
  rows: AggregateRows;
  isCurrent: boolean;
}) {
  const total = rows.length + more;
  const differs = standsFor === undefined && sum !== of && Number(sum) !== Number(of);
  return (
    <p role="status" className={`border-b border-rule px-4 py-[6px] ${differs ? 'bg-vermilion-wash' : ''}`}>
      {many(total, 'row')}
      {more > 0 && `, the first ${count(rows.length)} are listed`}
      {hiddenByListing > 0 && `, ${count(hiddenByListing)} more are hidden by the listing`}
      {' · '}
      {standsFor ?? (
        <>
          together they make <b className="num">{sum ?? 'null'}</b>
          {differs ? `, but the answer has ${of ?? 'null'}` : ', as the answer has'}
        </>
      )}
      {!isCurrent && ' …'}
    </p>
  );
}

/** Keeps the chosen columns as a listing of the model. */
function KeepListing({
  table,
  columns,
  isChosen,
  onKept,
}: {
  table: string;
  columns: readonly string[];
  isChosen: boolean;
  onKept: (name: string) => void;
}) {
  const { model, edit } = useModel();
  const [name, setName] = useState<string>();
  if (!isChosen) return null;
  const keep = async () => {
    const value: DetailListing = {
      name: freeName(name!.trim(), model.detailListings ?? []),
      table,
      columns: [...columns],
    };
    if (await edit([{ do: 'put-detailListings', name: null, value }], `add the listing ${value.name}`)) {
      setName(undefined);
      onKept(value.name);
    }
  };
  return name === undefined ? (
    <button className="btn h-[24px]" onClick={() => setName('')}>
      Save as listing
    </button>
  ) : (
    <span className="flex items-center gap-1">
      <input
        autoFocus
        className="field h-[24px] w-[150px]"
        aria-label="Name of the listing"
        placeholder={`lines of ${table}`}
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter' && name.trim() !== '') void keep();
          if (e.key === 'Escape') setName(undefined);
        }}
      />
      <button className="btn h-[24px]" disabled={name.trim() === ''} onClick={() => void keep()}>
        Save
      </button>
      <button className="btn btn-bare h-[24px]" onClick={() => setName(undefined)}>
        Cancel
      </button>
    </span>
  );
}

/** The cell of an answer's row, or of its totals, as it is asked about. */
export function cellOf(answer: QueryState, query: Query, row: number, column: number): AskedCell {
  const size = (query.by?.length ?? 0) + (query.across?.length ?? 0);
  const members = row < 0 ? [] : namedMembers(answer.rows[row]!.slice(0, size), answer.keys?.[row]);
  const byCount = query.by?.length ?? 0;
  const acrossCount = query.across?.length ?? 0;
  return {
    measure: answer.columns[column]?.name ?? '',
    by: row < 0 ? [] : [...members.slice(0, byCount)],
    across: row < 0 ? [] : [...members.slice(byCount, byCount + acrossCount)],
  };
}

/** Back to the answer, and which aggregate of the cell is shown. */
function RowsBar({
  onBack,
  asked,
  aggregates,
  shown,
  setPlace,
}: {
  onBack: () => void;
  asked: {
    cells: readonly AskedCell[];
    listing?: string | undefined;
    columns?: readonly string[] | undefined;
  };
  aggregates: readonly AggregateRows[];
  shown: AggregateRows;
  setPlace: (next: number) => void;
}) {
  return (
    <div className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-2">
      <button className="btn" onClick={onBack}>
        <ArrowLeft size={13} aria-hidden /> Back to the answer
      </button>
      <b>Rows behind {cellText(asked.cells)}</b>
      {aggregates.length > 1 && (
        <span role="tablist" aria-label="Aggregates" className="flex">
          {aggregates.map((a, i) => (
            <button
              key={i}
              role="tab"
              aria-selected={a === shown}
              className={`btn code block max-w-[240px] truncate text-left ${a === shown ? 'bg-ink text-leaf' : ''}`}
              title={a.text}
              onClick={() => setPlace(i)}
            >
              {a.text}
            </button>
          ))}
        </span>
      )}
    </div>
  );
}

/** Which columns are listed, and what is done with them. */
function ListingBar({
  asked,
  again,
  said,
  shown,
  listings,
  columns,
  save,
}: {
  asked: {
    cells: readonly AskedCell[];
    listing?: string | undefined;
    columns?: readonly string[] | undefined;
  };
  again: (next: AskedRows) => void;
  said: Said;
  shown: AggregateRows;
  listings: readonly DetailListing[];
  columns: readonly string[];
  save: () => undefined;
}) {
  const { isReader } = useModel();
  return (
    <div className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-[6px]">
      <label className="flex items-center gap-1 text-soft">
        columns
        <select
          className="field h-[24px] max-w-[180px]"
          aria-label="Listing"
          value={asked.columns ? 'chosen' : (asked.listing ?? '')}
          onChange={(e) => again({ cells: asked.cells, listing: e.target.value || undefined })}
        >
          <option value="">of {said.table(shown.table)}</option>
          {listings.map((l) => (
            <option key={l.name} value={l.name}>
              {l.title ?? l.name}
            </option>
          ))}
          {asked.columns && <option value="chosen">as chosen</option>}
        </select>
      </label>
      <AttributePicker
        label="Add a column"
        value={undefined}
        onChange={(path) => path && again({ ...asked, columns: [...columns, path] })}
      />
      {!isReader && (
        <KeepListing
          table={shown.table}
          columns={columns}
          isChosen={asked.columns !== undefined}
          onKept={(listing) => again({ cells: asked.cells, listing })}
        />
      )}
      <span className="flex-1" />
      <IconButton label="Save the rows as CSV" onClick={save}>
        <Download size={14} aria-hidden />
      </IconButton>
    </div>
  );
}

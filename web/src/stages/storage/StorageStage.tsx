import { useState } from 'react';
import { Download } from 'lucide-react';
import type { ProfileState } from '@crease/contract';
import { api } from '@crease/contract';
import { columnPath } from '@crease/core/formula';
import { daysWithoutCalendar, relateToCalendar } from '@crease/core/stars';
import type { ColumnProfile, TableProfile } from '@crease/core/storage';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { saveFile } from '../../state/save.ts';
import { useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { RoleMark } from '../../parts/Marks.tsx';
import { IconButton } from '../../parts/IconButton.tsx';
import { bytes, count, many, percent } from '../../parts/text.ts';

/**
 * What each table and column costs once encoded, as strips whose length is bytes; all sizes are of real
 * encodings.
 */
export function StorageStage() {
  const { id, model } = useModel();
  const { data, error, isLoading } = useAnswer(api.questions.profile, { id }, { keepPreviousData: true });
  const [selection, select] = useSelection();
  const selectedTable =
    selection?.kind === 'table'
      ? selection.name
      : selection?.kind === 'column'
        ? selection.name.split('.')[0]
        : undefined;
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set());
  const tables = [...(data?.tables ?? [])].sort((a, b) => b.totalBytes - a.totalBytes);
  const largest = tables[0]?.totalBytes ?? 1;
  const save = () =>
    saveFile(`${model.name}.profile.json`, JSON.stringify(data, null, 2), 'application/json');
  const design = (
    <>
      <LeafHead
        title="Storage"
        note={
          data ? (
            <span title={`${count(data.totalBytes)} bytes`}>
              {bytes(data.totalBytes)} encoded, measured in {count(data.elapsedMs)} ms
            </span>
          ) : (
            ''
          )
        }
      >
        <span className="flex items-center gap-3 text-[12px] text-soft" aria-hidden>
          <Key fill="bg-ink" text="data" /> <Key fill="bg-bar" text="dictionary" />{' '}
          <Key fill="bg-bar-soft" text="relationships" />{' '}
          <Key fill="hatched border border-rule-strong" text="hierarchies" />
        </span>
        <IconButton
          label="Save the profile"
          title="Save the profile (contains no data)"
          onClick={save}
          disabled={!data}
        >
          <Download size={14} aria-hidden />
        </IconButton>
      </LeafHead>
      <div className="min-h-0 flex-1 overflow-auto">
        {error && <Blank>{error.message}</Blank>}
        {isLoading && !data && <p className="p-4 text-soft">Encoding every column …</p>}
        {data && tables.length === 0 && (
          <Blank>
            Nothing is stored yet. Import tables on the Intake stage; staging tables are not counted.
          </Blank>
        )}
        {tables.map((t, i) => {
          const open =
            selectedTable === t.name || (selectedTable === undefined && i === 0 && !closed.has(t.name));
          return (
            <section key={t.name} className="border-b border-rule" aria-label={t.name}>
              <button
                className="rowlink flex items-center gap-3 px-4 py-[5px]"
                aria-expanded={open}
                onClick={() => {
                  if (open && selectedTable === undefined) setClosed((s) => new Set([...s, t.name]));
                  else select(open ? undefined : { kind: 'table', name: t.name });
                }}
              >
                <RoleMark role={model.tables.find((x) => x.name === t.name)?.role ?? 'dimension'} />
                <span className="w-[130px] truncate font-semibold">{t.name}</span>
                <TableStrip table={t} largest={largest} />
                <span className="num w-[84px]" title={`${count(t.totalBytes)} bytes`}>
                  {bytes(t.totalBytes)}
                </span>
                <span className="num w-[52px] text-soft">{percent(t.share)}</span>
                <span className="num w-[98px] text-soft">{many(t.rows, 'row')}</span>
              </button>
              {open && (
                <Columns
                  table={t}
                  selected={selection?.kind === 'column' ? selection.name : undefined}
                  onSelect={(name) => select({ kind: 'column', name })}
                />
              )}
            </section>
          );
        })}
      </div>
    </>
  );
  return (
    <Leaves
      label="Storage"
      design={design}
      evidence={<EvidenceLeaf>{data && <AdviceList profile={data} />}</EvidenceLeaf>}
    />
  );
}

const Key = ({ fill, text }: { fill: string; text: string }) => (
  <span className="flex items-center gap-1">
    <span className={`inline-block h-[9px] w-[14px] ${fill}`} /> {text}
  </span>
);

function TableStrip({ table, largest }: { table: TableProfile; largest: number }) {
  const part = (n: number) => `${(100 * n) / largest}%`;
  return (
    <span
      className="flex h-[12px] min-w-[60px] flex-1"
      role="img"
      aria-label={`data ${bytes(table.dataBytes)}, dictionary ${bytes(table.dictionaryBytes)}, relationships ${bytes(table.relationshipBytes)}, hierarchies ${bytes(table.hierarchyBytes)}`}
    >
      <span className="bg-ink" style={{ width: part(table.dataBytes) }} />
      <span className="bg-bar" style={{ width: part(table.dictionaryBytes) }} />
      <span className="bg-bar-soft" style={{ width: part(table.relationshipBytes) }} />
      <span
        className="hatched border border-rule-strong"
        style={{ width: part(table.hierarchyBytes), minWidth: table.hierarchyBytes > 0 ? 2 : 0 }}
      />
    </span>
  );
}

function Columns({
  table,
  selected,
  onSelect,
}: {
  table: TableProfile;
  selected: string | undefined;
  onSelect: (name: string) => void;
}) {
  const columns = [...table.columns].sort((a, b) => b.totalBytes - a.totalBytes);
  const largest = columns[0]?.totalBytes || 1;
  return (
    <table className="grid-plain bg-raised" aria-label={`Columns of ${table.name} by bytes`}>
      <thead>
        <tr>
          <th scope="col" style={{ paddingLeft: 42 }}>
            column
          </th>
          <th scope="col" className="w-[34%]">
            bytes
          </th>
          <th scope="col" className="num">
            total
          </th>
          <th scope="col" className="num">
            distinct
          </th>
          <th scope="col" className="num">
            runs
          </th>
          <th scope="col">encoding</th>
        </tr>
      </thead>
      <tbody>
        {columns.map((c) => (
          <tr key={c.name} className={selected === `${table.name}.${c.name}` ? 'bg-leaf' : ''}>
            <td style={{ paddingLeft: 42 }}>
              <button className="hover:underline" onClick={() => onSelect(`${table.name}.${c.name}`)}>
                {c.name}
              </button>
            </td>
            <td>
              <span
                className="flex h-[10px]"
                role="img"
                aria-label={`data ${bytes(c.dataBytes)}, dictionary ${bytes(c.dictionaryBytes)}`}
              >
                <span className="bg-ink" style={{ width: `${(100 * c.dataBytes) / largest}%` }} />
                <span className="bg-bar" style={{ width: `${(100 * c.dictionaryBytes) / largest}%` }} />
              </span>
            </td>
            <td
              className="num"
              title={`${count(c.totalBytes)} bytes: data ${count(c.dataBytes)}, dictionary ${count(c.dictionaryBytes)}`}
            >
              {bytes(c.totalBytes)}
            </td>
            <td className="num">{count(c.distinct)}</td>
            <td className="num">{count(c.runs)}</td>
            <td className="text-soft" title={why(c, table.rows)}>
              {c.encoding}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Why a column takes what it takes, in words. */
function why(c: ColumnProfile, rows: number): string {
  const kind = c.encoding.startsWith('dictionary')
    ? `${count(c.distinct)} distinct values stored once; rows refer to them`
    : 'whole numbers in a small range, stored as distances from the least';
  const runs = c.encoding.endsWith('runs')
    ? `; ${count(c.runs)} runs of equal values in ${count(rows)} rows`
    : '';
  return kind + runs;
}

/** Of a moment of a fact: gives its day to the calendar, in one act. */
function DayAct({ path }: { path: string }) {
  const { model, edit } = useModel();
  const calendar = model.calendars?.[0];
  const day = daysWithoutCalendar(model).find(
    (d) => d.type === 'timestamp' && columnPath(d.table, d.column) === path,
  );
  if (!day || !calendar) return null;
  return (
    <button
      className="btn mt-1 h-[24px]"
      onClick={() =>
        void edit(relateToCalendar(model, [day], calendar), `relate the day of ${path} to ${calendar.table}`)
      }
    >
      Relate its day to {calendar.table}
    </button>
  );
}

function AdviceList({ profile }: { profile: ProfileState }) {
  const [, select] = useSelection();
  return (
    <section aria-label="Advice" className="border-b border-rule">
      <header className="flex min-h-[42px] items-center border-b border-rule px-4 py-2">
        <h2 className="text-[15px]">
          {profile.advice.length === 0 ? 'No savings found' : 'Possible savings'}
        </h2>
      </header>
      {profile.advice.map((a) => (
        <div key={`${a.column}${a.change}`} className="border-b border-rule px-4 py-2">
          <p>
            <button
              className="font-semibold hover:underline"
              onClick={() => select({ kind: 'column', name: a.column })}
            >
              {a.column}
            </button>
            : {a.change}
          </p>
          <p className="flex items-center gap-3 tabular-nums">
            <span title={`${count(a.beforeBytes)} bytes`}>{bytes(a.beforeBytes)}</span>→
            <b title={`${count(a.afterBytes)} bytes`}>{bytes(a.afterBytes)}</b>
            <span className="text-green">saves {percent(1 - a.afterBytes / a.beforeBytes)}</span>
          </p>
          <p className="text-soft">{a.reason}</p>
          <DayAct path={a.column} />
        </div>
      ))}
    </section>
  );
}

import { sameName } from '@crease/core/model';
import type { FoldedTable, ProfileDocument, TableProfile } from '@crease/core/storage';
import { RoleMark } from '../../parts/Marks.tsx';
import { bytes } from '../../parts/text.ts';
import { BudgetField } from './BudgetField.tsx';
import { ColumnOpened } from './ColumnOpened.tsx';
import { PartsPanel } from './PartsPanel.tsx';
import { Ruler, RulerNames, rulerSays } from './Ruler.tsx';
import type { Segment } from './ruler.ts';
import { bitsARow, segmentsOf, thicknessOf } from './ruler.ts';

/** Of two rulers one above the other, the second thinner. */
const BESIDE = 0.6;
/** Names are shown under rulers of at least this thickness, in pixels. */
const NAMED = 14;
/** Of the head and what is around a ruler, and of the names below it, in pixels. */
const [AROUND, NAMES] = [44, 16];

/** How high the ruler of a table of so many rows is with its head, in pixels. */
export function rulerHeight(rows: number, mostRows: number): number {
  const thickness = thicknessOf(rows, mostRows);
  return AROUND + Math.max(24, thickness) + (thickness >= NAMED ? NAMES : 0);
}

/**
 * A table's ruler with its head, above it the one that it is compared with, below it what folds would make of
 * it, and the column that is opened.
 */
export function TableRuler({
  table,
  isPassed,
  before,
  folded,
  scale,
  mostRows,
  selected,
  onSelect,
  isParted,
  onParts,
}: {
  table: TableProfile;
  /** Its rows stay in their database: what is shown is what it would weigh. */
  isPassed: boolean;
  before: ProfileDocument['tables'][number] | undefined;
  folded: FoldedTable | undefined;
  scale: number;
  mostRows: number;
  selected: string | undefined;
  onSelect: (path: string) => void;
  /** Whether its parts are shown. */
  isParted: boolean;
  onParts: () => void;
}) {
  const segments = segmentsOf(table);
  const thickness = thicknessOf(table.rows, mostRows);
  const column = table.columns.find((c) => selected === `${table.name}.${c.name}`);
  return (
    <section className="border-b border-rule px-4 py-2" aria-label={table.name}>
      <h3 className="mb-1 flex items-center gap-2">
        <RoleMark role={table.role} />
        <span className="text-[13px]">{table.name}</span>
        <span className="flex-1 font-sans text-[12px] font-normal text-soft">
          {table.derived
            ? 'made by steps'
            : isPassed && table.fault === undefined
              ? 'passed through: what it would weigh'
              : ''}
        </span>
        {table.fault === undefined ? (
          <span className="flex items-center gap-2 font-sans text-[12px] font-normal text-soft tabular-nums">
            {rulerSays(segments, table.rows, table.totalBytes)}
            <BudgetField table={table.name} takes={table.totalBytes} />
            {!isPassed && (
              <button
                className="min-h-[24px] underline decoration-dotted"
                aria-expanded={isParted}
                onClick={onParts}
              >
                parts
              </button>
            )}
          </span>
        ) : (
          <span className={`font-sans text-[12px] font-normal ${isPassed ? 'text-soft' : 'text-vermilion'}`}>
            {isPassed ? 'passed through: nothing is held here' : table.fault}
          </span>
        )}
      </h3>
      {before && before.totalBytes !== table.totalBytes && (
        <Beside says={`before: ${bytes(before.totalBytes)}`}>
          <Ruler
            table={before.name}
            segments={segmentsOf(before)}
            scale={scale}
            thickness={Math.max(3, thicknessOf(before.rows, mostRows) * BESIDE)}
            label={`${before.name} before`}
          />
        </Beside>
      )}
      {table.fault === undefined && (
        <Ruler
          table={table.name}
          segments={segments}
          scale={scale}
          thickness={thickness}
          selected={selected}
          onSelect={onSelect}
          label={`A row of ${table.name}`}
        />
      )}
      {thickness >= NAMED && <RulerNames segments={segments} scale={scale} />}
      {folded && (
        <Beside says={`folded: ${bytes(folded.totalBytes)}`}>
          <Ruler
            table={folded.name}
            segments={foldedSegments(folded, table)}
            scale={scale}
            thickness={Math.max(3, thicknessOf(folded.rows, mostRows) * BESIDE)}
            label={`${folded.name} folded`}
          />
        </Beside>
      )}
      {isParted && <PartsPanel table={table.name} />}
      {column && <ColumnOpened column={column} rows={table.rows} />}
    </section>
  );
}

const Beside = ({ says, children }: { says: string; children: React.ReactNode }) => (
  <div className="my-1">
    {children}
    <p className="text-[11px] leading-[15px] text-soft tabular-nums">{says}</p>
  </div>
);

/** A folded table's ruler: what a column needs is known of those that stay as they are. */
function foldedSegments(folded: FoldedTable, table: TableProfile): Segment[] {
  const now = segmentsOf(table);
  const columns = folded.columns
    .filter((c) => c.totalBytes > 0)
    .map((c): Segment => {
      const same = now.find((s) => sameName(s.name, c.name) && s.bytes === c.totalBytes);
      const bits = bitsARow(c.totalBytes, folded.rows);
      return (
        same ?? {
          kind: 'column',
          name: c.name,
          bits,
          least: 0,
          codes: bits,
          dictionary: 0,
          bytes: c.totalBytes,
        }
      );
    })
    .sort((a, b) => b.bits - a.bits);
  const rest = folded.totalBytes - folded.columns.reduce((n, c) => n + c.totalBytes, 0);
  const bits = bitsARow(rest, folded.rows);
  return rest > 0
    ? [
        ...columns,
        {
          kind: 'relationships',
          name: 'references and levels',
          bits,
          least: bits,
          codes: bits,
          dictionary: 0,
          bytes: rest,
        },
      ]
    : columns;
}

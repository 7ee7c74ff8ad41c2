import { useMemo, useRef } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import type { Way } from '@crease/core/stars';
import { wayTo } from '@crease/core/stars';
import type { ModelNames, Table } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import type { BrokenByRelationship } from './brokenHops.ts';
import { brokenByRelationship, brokenHops, brokenText } from './brokenHops.ts';
import { VerdictMark } from '../../parts/Marks.tsx';

const SIGNS: Record<Way['kind'], string> = {
  own: 'own',
  direct: 'direct',
  outrigger: 'outrigger',
  bridge: 'bridge',
  'many-to-many': 'values',
  ambiguous: 'ambiguous',
  none: '',
};

/** Of a larger matrix only what is near to the window is drawn, in columns of one width. */
const MOST_CELLS = 800;
const COLUMN = 72;
const ROW = 36;
const HEAD = 118;

/**
 * Facts down, dimensions across: how each dimension reaches each fact, and at which level. A cell explains
 * itself in the other leaf.
 */
export function Matrix({
  chosen,
  onChoose,
}: {
  chosen: string | undefined;
  onChoose: (cell: string) => void;
}) {
  const { model, names, claims } = useModel();
  const [, select] = useSelection();
  const wayOf = useMemo(() => waysOf(names), [names]);
  const broken = useMemo(() => brokenByRelationship(claims?.claims ?? []), [claims]);
  const { facts, dimensions } = useMemo(() => {
    const of = (role: Table['role']) => model.tables.filter((t) => t.role === role);
    return { facts: of('fact'), dimensions: of('dimension') };
  }, [model]);
  const box = useRef<HTMLDivElement>(null);
  const isLarge = facts.length * dimensions.length > MOST_CELLS;
  const columns = useDrawnPart(box, dimensions, COLUMN, isLarge, true);
  const rows = useDrawnPart(box, facts, ROW, isLarge, false);
  if (facts.length === 0 || dimensions.length === 0)
    return (
      <p className="p-4 text-soft">The matrix shows facts by dimensions: set the roles of tables on Shape.</p>
    );
  const span = columns.drawn.length + 3;
  return (
    <div
      ref={box}
      className="min-h-0 flex-1 overflow-auto"
      tabIndex={0}
      role="group"
      aria-label="Matrix, to scroll"
    >
      <table
        className="grid-plain"
        aria-label="Matrix of facts and dimensions"
        aria-rowcount={facts.length + 1}
        aria-colcount={dimensions.length + 1}
        style={isLarge ? { width: 'max-content' } : undefined}
      >
        <thead>
          <tr aria-rowindex={1}>
            <th scope="col" style={{ left: 0, zIndex: 2 }}>
              fact
            </th>
            <Room size={columns.before} />
            {columns.drawn.map(({ item: d, at }) => (
              <th
                key={d.name}
                scope="col"
                aria-colindex={at + 2}
                style={{
                  height: HEAD,
                  verticalAlign: 'bottom',
                  ...(isLarge ? { minWidth: COLUMN, maxWidth: COLUMN } : {}),
                }}
              >
                <button
                  onClick={() => select({ kind: 'table', name: d.name })}
                  className="max-h-[110px] truncate hover:underline"
                  style={{ writingMode: 'vertical-rl', transform: 'rotate(180deg)' }}
                  title={d.name}
                >
                  {d.name}
                </button>
              </th>
            ))}
            <Room size={columns.after} />
          </tr>
        </thead>
        <tbody>
          {rows.before > 0 && <RoomRow span={span} height={rows.before} />}
          {rows.drawn.map(({ item: f, at }) => (
            <tr key={f.name} aria-rowindex={at + 2}>
              <th scope="row" className="whitespace-nowrap" style={{ top: 'auto', left: 0 }}>
                <button
                  onClick={() => select({ kind: 'table', name: f.name })}
                  className="text-ink hover:underline"
                >
                  {f.name}
                </button>
              </th>
              <Room size={columns.before} />
              {columns.drawn.map(({ item: d, at: column }) => (
                <Cell
                  key={d.name}
                  fact={f.name}
                  dimension={d.name}
                  way={wayOf(f.name, d.name)}
                  broken={broken}
                  column={column}
                  width={isLarge ? COLUMN : undefined}
                  chosen={chosen}
                  onChoose={onChoose}
                />
              ))}
              <Room size={columns.after} />
            </tr>
          ))}
          {rows.after > 0 && <RoomRow span={span} height={rows.after} />}
        </tbody>
      </table>
    </div>
  );
}

interface Placed {
  readonly item: Table;
  /** Among all of them, from 0. */
  readonly at: number;
}

/** The tables along one side that are drawn, and the room before and after them, in pixels. */
function useDrawnPart(
  box: React.RefObject<HTMLDivElement | null>,
  tables: readonly Table[],
  size: number,
  isLarge: boolean,
  horizontal: boolean,
): { readonly drawn: readonly Placed[]; readonly before: number; readonly after: number } {
  const part = useVirtualizer({
    count: tables.length,
    getScrollElement: () => box.current,
    estimateSize: () => size,
    overscan: 6,
    horizontal,
    enabled: isLarge,
  });
  if (!isLarge) return { drawn: tables.map((item, at) => ({ item, at })), before: 0, after: 0 };
  const items = part.getVirtualItems();
  const [first, last] = [items[0], items.at(-1)];
  return {
    drawn: items.map(({ index }) => ({ item: tables[index]!, at: index })),
    before: first?.start ?? 0,
    after: last ? part.getTotalSize() - last.end : 0,
  };
}

/** Holds the room of columns that are not drawn. */
const Room = ({ size }: { size: number }) =>
  size > 0 && <td aria-hidden style={{ minWidth: size, padding: 0, border: 0 }} />;

/** Holds the room of rows that are not drawn. */
const RoomRow = ({ span, height }: { span: number; height: number }) => (
  <tr aria-hidden>
    <td colSpan={span} style={{ height, padding: 0, border: 0 }} />
  </tr>
);

/** How dimensions reach facts, each worked out when it is first drawn. */
function waysOf(names: ModelNames): (fact: string, dimension: string) => Way {
  const reach = new Reach(names);
  const known = new Map<string, Way>();
  return (fact, dimension) => {
    const key = cellKey(fact, dimension);
    const way = known.get(key) ?? wayTo(names.model, fact, dimension, reach);
    known.set(key, way);
    return way;
  };
}

/** How one dimension reaches one fact. */
function Cell({
  fact,
  dimension,
  way,
  broken: all,
  column,
  width,
  chosen,
  onChoose,
}: {
  fact: string;
  dimension: string;
  way: Way;
  broken: BrokenByRelationship;
  /** Among the dimensions, from 0. */
  column: number;
  width: number | undefined;
  chosen: string | undefined;
  onChoose: (cell: string) => void;
}) {
  const key = cellKey(fact, dimension);
  const broken = brokenHops(way, all);
  const reaches = `${dimension} ${way.kind === 'none' ? 'does not reach' : 'reaches'} ${fact}: ${way.says[0]}`;
  const says = broken.length > 0 ? `${reaches}; but ${brokenText(broken)}` : reaches;
  return (
    <td
      aria-colindex={column + 2}
      className={`p-0 ${way.kind === 'none' ? 'hatched' : ''} ${chosen === key ? 'outline-2 -outline-offset-2 outline-ink' : ''}`}
    >
      <button
        className="h-full min-h-[30px] w-full truncate px-1 text-[11px]"
        style={width === undefined ? undefined : { width }}
        title={says}
        aria-label={says}
        aria-pressed={chosen === key}
        onClick={() => onChoose(key)}
      >
        {way.kind === 'ambiguous' ? (
          <VerdictMark verdict="broken" size={11} />
        ) : way.level ? (
          <b>{way.level.join(', ')}</b>
        ) : (
          SIGNS[way.kind]
        )}
        {broken.length > 0 && way.kind !== 'ambiguous' && (
          <>
            {' '}
            <VerdictMark verdict="broken" size={9} />
          </>
        )}
      </button>
    </td>
  );
}

const cellKey = (fact: string, dimension: string): string => `${fact}~${dimension}`;

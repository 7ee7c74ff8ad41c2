import { useMemo } from 'react';
import type { QueryState } from '@crease/contract';
import type { ByItem, Query } from '@crease/core/model';
import { ModelNames } from '@crease/core/model';
import { Reach } from '@crease/core/relate';
import type { Way } from '@crease/core/stars';
import { wayTo } from '@crease/core/stars';
import type { AnswerMember } from '@crease/core/query';
import { columnPath, FormulaChecker, withRoles } from '@crease/core/formula';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { formatValue, memberText } from '../../parts/format.ts';
import { itemText } from './attributes.ts';

export interface ChosenCell {
  readonly row: number;
  readonly column: number;
}

/** Why a number is what it is: its conditions, and the ways by which they reach the rows that it counts. */
export function CellEvidence({
  cell,
  query,
  answer,
  onDrill,
}: {
  cell: ChosenCell;
  query: Query;
  answer: QueryState;
  onDrill: (query: Query) => void;
}) {
  const { model: designed } = useModel();
  // A condition may name a role of a dimension.
  const model = useMemo(() => withRoles(designed).model, [designed]);
  const names = useMemo(() => new ModelNames(model), [model]);
  const [, select] = useSelection();
  const row = answer.rows[cell.row];
  const column = answer.columns[cell.column];
  const checker = useMemo(() => new FormulaChecker(designed), [designed]);
  const reach = useMemo(() => new Reach(names), [names]);
  if (!row || !column) return null;
  const way = (base: string, table: string | undefined) =>
    table === undefined ? 'nothing is known of it' : wayText(wayTo(model, base, table, reach));
  const measure = names.measure(column.name);
  const typed = checker.measure(column.name)?.typed;
  const bases = typed ? [...checker.basesOf(typed)].map((b) => names.table(b)!.name) : [];
  const by = query.by ?? [];
  const tableOf = (item: ByItem): string | undefined => {
    if (typeof item === 'string') return names.path(item)?.table.name;
    const h = names.hierarchy(item.hierarchy);
    if (!h || 'depth' in item) return h?.table;
    const level = h.levels?.find((l) => l.name === item.level);
    return level ? (names.path(level.column)?.table.name ?? h.table) : h.table;
  };
  const next = nextLevel(by, names.model.hierarchies ?? []);
  const deeper = nextDepth(by);
  return (
    <section aria-label="Explanation of the cell" className="border-b border-rule px-4 py-3">
      <h2 className="text-[15px]">
        {column.name}:{' '}
        {answer.unreached.some(([m]) => m === column.name)
          ? 'does not apply'
          : formatValue(row[cell.column]!, column.type, measure?.format) || 'null'}
      </h2>
      {measure && (
        <p className="mt-1">
          <button
            className="code text-left underline decoration-rule-strong"
            onClick={() => select({ kind: 'measure', name: measure.name })}
          >
            {measure.formula}
          </button>
        </p>
      )}
      <table className="grid-plain mt-2">
        <thead>
          <tr>
            <th scope="col">condition</th>
            {bases.map((b) => (
              <th key={b} scope="col">
                reaches {b}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {by.map((item, i) => (
            <tr key={itemText(item, model)}>
              <td>
                {itemText(item, model)} = {memberText(row[i]!, answer.columns[i]!.type)}
              </td>
              {bases.map((b) => (
                <td key={b}>{way(b, tableOf(item))}</td>
              ))}
            </tr>
          ))}
          {(query.filters ?? []).map((f) => (
            <tr key={JSON.stringify(f)}>
              <td>
                {'column' in f
                  ? `${f.column} among ${f.in.length}`
                  : 'where' in f
                    ? f.where
                    : `${f.period}${f.calendar ? ` by ${f.calendar}` : ''}`}
              </td>
              {bases.map((b) => (
                <td key={b}>
                  {'column' in f
                    ? way(b, names.path(f.column)?.table.name)
                    : 'period' in f
                      ? way(b, f.calendar ?? designed.calendars?.[0]?.table)
                      : ''}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {deeper && isMember(row[deeper.at]!) && (
        <button
          className="btn mt-2"
          onClick={() =>
            onDrill({
              ...query,
              by: [...by.slice(0, deeper.at + 1), deeper.item, ...by.slice(deeper.at + 1)],
              sort: [],
            })
          }
        >
          Drill down to {itemText(deeper.item, model)}
        </button>
      )}
      {next && isMember(row[next.at]!) && (
        <button
          className="btn mt-2"
          onClick={() =>
            onDrill({
              ...query,
              by: [...by.slice(0, next.at), next.item, ...by.slice(next.at + 1)],
              filters: [...(query.filters ?? []), { column: next.column, in: [row[next.at]!] }],
              sort: [],
            })
          }
        >
          Drill down from {memberText(row[next.at]!, answer.columns[next.at]!.type)} to {next.item.level}
        </button>
      )}
    </section>
  );
}

const isMember = (member: AnswerMember): boolean => member !== null && typeof member !== 'object';

function wayText(way: Way): string {
  switch (way.kind) {
    case 'own':
      return 'its own rows';
    case 'none':
      return 'does not reach it';
    case 'ambiguous':
      return 'two ways: uses none';
    default:
      return way.hops.map((h) => h.relationship).join(' → ');
  }
}

/** The depth below the deepest that the question has of a parent-child hierarchy, to stand beside it. */
function nextDepth(
  by: readonly ByItem[],
): { at: number; item: { hierarchy: string; depth: number } } | undefined {
  const at = by.findLastIndex((item) => typeof item !== 'string' && 'depth' in item);
  const item = by[at];
  return item && typeof item !== 'string' && 'depth' in item
    ? { at, item: { hierarchy: item.hierarchy, depth: item.depth + 1 } }
    : undefined;
}

/** The level below one that the question has, so that a member can be opened. */
function nextLevel(
  by: readonly ByItem[],
  hierarchies: readonly {
    name: string;
    table: string;
    levels?: { name: string; column: string }[] | undefined;
  }[],
): { at: number; item: { hierarchy: string; level: string }; column: string } | undefined {
  for (const [at, item] of [...by.entries()].reverse()) {
    for (const h of hierarchies) {
      const levels = h.levels ?? [];
      const path = columnPath(h.table, h.name);
      const columnOf = (c: string) => (c.includes('.') ? c : columnPath(h.table, c));
      const i = levels.findIndex((l) =>
        typeof item === 'string'
          ? columnOf(l.column) === item
          : 'level' in item && item.hierarchy === path && item.level === l.name,
      );
      const below = levels[i + 1];
      const has =
        below &&
        by.some(
          (b) => typeof b !== 'string' && 'level' in b && b.hierarchy === path && b.level === below.name,
        );
      if (i >= 0 && below && !has)
        return { at, item: { hierarchy: path, level: below.name }, column: columnOf(levels[i]!.column) };
    }
  }
  return undefined;
}

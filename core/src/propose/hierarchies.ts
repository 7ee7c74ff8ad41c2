import { isCodeName } from '../claims/index.ts';
import { usualHierarchies } from '../calendar/index.ts';
import type { Hierarchy, Model, Table } from '../model/index.ts';
import { freeName, sameName, splitPath } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { counted, numberText } from '../values/index.ts';
import type { FoundLevel } from './levels.ts';
import { findLevels, hierarchyOf, levelName } from './levels.ts';
import type { Proposal } from './proposal.ts';

/** Tables with fewer rows nest by accident. */
const LEAST_ROWS = 20;
/** Of larger ones the pairs of columns are not compared while one waits for a draft; Hierarchies does it. */
const MOST_ROWS = 500_000;
/** So many times more members must a level have than the one above, and so many rows each of its members. */
const FALLS = 2;

/**
 * Hierarchies that hold on all rows and make sense: the usual ones of a calendar; of other dimensions stacks
 * of texts whose numbers of members fall by a factor from level to level, each on several rows, so that it is
 * no accident that they nest.
 */
export function proposeHierarchies(model: Model, data: ModelData): Proposal[] {
  const drafted = new ModelData(model, (name) => data.table(name), data.today);
  return model.tables
    .filter((t) => t.role === 'dimension' && !(model.hierarchies ?? []).some((h) => isLevelsOf(h, t)))
    .flatMap((t) => ofCalendar(model, t) ?? ofLevels(drafted, t));
}

const isLevelsOf = (h: Hierarchy, t: Table): boolean => h.parent === undefined && sameName(h.table, t.name);

/** Undefined for a table that is no calendar. */
function ofCalendar(model: Model, table: Table): Proposal[] | undefined {
  const calendar = (model.calendars ?? []).find((c) => sameName(c.table, table.name));
  if (!calendar) return undefined;
  return usualHierarchies(table, calendar.day, false)
    .slice(0, 1)
    .map((hierarchy) => proposalOf(table, hierarchy, ['the levels that calendars have']));
}

function ofLevels(data: ModelData, table: Table): Proposal[] {
  const rows = data.rowCount(table.name);
  if (rows < LEAST_ROWS || rows > MOST_ROWS) return [];
  const [chain] = findLevels(data, table.name).chains;
  if (!chain) return [];
  const bottom = table.label ?? table.key?.[0];
  const inner = chain.levels.filter((l) => l.path !== bottom && isShown(data, table, l));
  const certain = certainOf(data.model, inner, rows);
  // One level alone is drafted where a relationship leads to it, above members that have a label.
  const isRelated = table.label !== undefined && certain.some((l) => splitPath(l.path) !== undefined);
  if (certain.length < (isRelated ? 1 : 2)) return [];
  const leaf = chain.levels.filter((l) => l.path === bottom);
  const [top] = certain;
  const name = freeName(
    `By ${levelName(top!.path, table.name, []).toLowerCase()}`,
    data.model.hierarchies ?? [],
  );
  return [
    proposalOf(
      table,
      hierarchyOf(name, { table: table.name, levels: [...certain, ...leaf] }),
      certain.length === 1
        ? [`a relationship leads to ${certain[0]!.path}: ${counted(certain[0]!.members, 'value')}`]
        : certain
            .slice(1)
            .map(
              (l, i) =>
                `each of ${counted(l.members, 'value')} of ${l.path} lies in one of ${numberText(certain[i]!.members)} of ${certain[i]!.path}, on all ${counted(rows, 'row')}`,
            ),
    ),
  ];
}

/**
 * Of levels from the top those that have a factor more members than the one before, and a factor less than
 * there are rows. Of two that hardly differ the label of their table is shown.
 */
function certainOf(model: Model, levels: readonly FoundLevel[], rows: number): FoundLevel[] {
  const certain: FoundLevel[] = [];
  const falls = (level: FoundLevel, above: FoundLevel | undefined) =>
    above === undefined || level.members >= above.members * FALLS;
  const isLabel = ({ path }: FoundLevel) => {
    const [home, name] = splitPath(path) ?? [undefined, path];
    return model.tables.some((t) => home !== undefined && sameName(t.name, home) && t.label === name);
  };
  for (const level of levels) {
    if (level.members * FALLS > rows) continue;
    if (falls(level, certain.at(-1))) certain.push(level);
    else if (isLabel(level) && falls(level, certain.at(-2))) certain.splice(-1, 1, level);
  }
  return certain;
}

/** Of the rows so much may have no member of a level. */
const GAPS = 0.2;

/**
 * Whether a level is shown by texts that are no codes and seldom missing; numbers nest in each other
 * too easily.
 */
function isShown(data: ModelData, table: Table, { path }: FoundLevel): boolean {
  const [home, name] = splitPath(path) ?? [table.name, path];
  if (isCodeName(name)) return false;
  const column = data.column(home, name);
  return column.type.kind === 'text' && column.nulls <= column.rowCount * GAPS;
}

const proposalOf = (table: Table, value: Hierarchy, evidence: readonly string[]): Proposal => ({
  id: `hierarchy:${table.name}.${value.name}`,
  kind: 'hierarchy',
  table: table.name,
  says: `${(value.levels ?? []).map((l) => l.column).join(', ')} are levels of ${table.name}`,
  evidence,
  edit: [{ do: 'put-hierarchies', name: null, value }],
});

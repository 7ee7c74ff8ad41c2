import { columnPath, withRoles } from '@crease/core/formula';
import type {
  AskedItem,
  ByItem,
  MeasureItem,
  Model,
  Perspective,
  Query,
  Table,
  TopFilter,
} from '@crease/core/model';
import { isShown, sameName, splitPath } from '@crease/core/model';

/** An item that a trial may put on its rows. */
export interface Attribute {
  readonly item: ByItem;
  /** As the sentence writes it. */
  readonly text: string;
  readonly group: string;
}

/**
 * An item in short: a hierarchy without its table, unless several tables have one of that name (a dimension
 * and its roles) and it is not of the first.
 */
export function itemText(item: AskedItem, model: Model): string {
  if (typeof item === 'string') return item;
  if ('formula' in item) return item.name;
  const [table, name] = splitPath(item.hierarchy) ?? ['', item.hierarchy];
  const first = (model.hierarchies ?? []).find((h) => sameName(h.name, name));
  const hierarchy = !first || sameName(first.table, table) ? name : `${table}: ${name}`;
  return 'level' in item ? `${hierarchy}.${item.level}` : `${hierarchy} at depth ${item.depth}`;
}

/** A measure of a question: of the model, on the spot, or a column with an aggregate. */
export const measureText = (item: MeasureItem): string =>
  typeof item === 'string'
    ? item
    : 'formula' in item
      ? item.name
      : `${item.aggregate ? `${item.aggregate} ` : ''}${item.column}`;

/** A condition of a question on the first members by a measure, in words. */
export const topText = ({ top, of, per, others, order }: TopFilter, model: Model): string =>
  [
    order === 'ascending' ? `last ${top} by ${of}` : `top ${top} by ${of}`,
    ...(per && per.length > 0 ? [`within ${per.map((item) => itemText(item, model)).join(', ')}`] : []),
    ...(others ? ['and all others'] : []),
  ].join(' ');

/** A question in one line. */
export function questionText(query: Query, model: Model): string {
  const items = (list: readonly AskedItem[] | undefined) =>
    (list ?? []).map((item) => itemText(item, model)).join(', ');
  const conditions = (query.filters ?? []).map((filter) => {
    if ('column' in filter) return `${filter.column} in (${filter.in.map(String).join(', ')})`;
    if ('where' in filter) return filter.where;
    if ('having' in filter) return filter.having;
    return 'top' in filter ? topText(filter, model) : filter.period;
  });
  return [
    `show ${query.measures.map(measureText).join(', ')}`,
    ...((query.by ?? []).length > 0 ? [`by ${items(query.by)}`] : []),
    ...((query.across ?? []).length > 0 ? [`across ${items(query.across)}`] : []),
    ...(conditions.length > 0 ? [`where ${conditions.join(' and ')}`] : []),
    ...(query.asOf === undefined ? [] : [`as of ${query.asOf}`]),
  ].join(' ');
}

const inPerspective = (p: Perspective | undefined, table: Table, column: string): boolean =>
  !p || isShown(p, 'tables', table.name) || isShown(p, 'columns', `${table.name}.${column}`);

/**
 * All attributes, levels and depths of the model and of the roles of its dimensions, or those that a
 * perspective shows.
 */
export function attributesOf(asked: Model, perspective?: Perspective): Attribute[] {
  const { model, rowsOf } = withRoles(asked);
  // An audience that sees a dimension sees its roles.
  const seenAs = (table: string) => rowsOf.get(table.toLowerCase()) ?? table;
  const levels = (model.hierarchies ?? [])
    .filter((h) => !perspective || isShown(perspective, 'hierarchies', `${seenAs(h.table)}.${h.name}`))
    .flatMap((h): Attribute[] => {
      const hierarchy = columnPath(h.table, h.name);
      if (h.parent !== undefined)
        return [1, 2, 3, 4].map((depth) => ({
          item: { hierarchy, depth },
          text: itemText({ hierarchy, depth }, model),
          group: `${h.table}.${h.name}`,
        }));
      return (h.levels ?? []).map((l) => ({
        item: { hierarchy, level: l.name },
        text: itemText({ hierarchy, level: l.name }, model),
        group: `${h.table}.${h.name}`,
      }));
    });
  const columns = model.tables
    .filter((t) => t.role !== 'staging')
    .flatMap((t) =>
      t.columns
        .filter(
          (c) =>
            !c.hidden &&
            c.use !== 'quantity' &&
            inPerspective(perspective, { ...t, name: seenAs(t.name) }, c.name),
        )
        .map((c): Attribute => ({
          item: columnPath(t.name, c.name),
          text: columnPath(t.name, c.name),
          group: t.name,
        })),
    );
  return [...levels, ...columns];
}

/** Whether an item may be put on rows: for an audience, whether it sees it. */
export const isOffered = (item: ByItem, model: Model, audience: Perspective | undefined): boolean =>
  !audience || attributesOf(model, audience).some((a) => a.text === itemText(item, model));

/** A first attribute worth looking at: the label of a dimension next to the fact. */
export function defaultAttribute(model: Model, fact: string | undefined): string | undefined {
  const near = (model.relationships ?? [])
    .filter((r) => r.from.table === fact && r.default !== false)
    .map((r) => model.tables.find((t) => t.name === r.to.table));
  const found = [...near, ...model.tables].find((t) => t?.label !== undefined);
  return found ? columnPath(found.name, found.label!) : undefined;
}

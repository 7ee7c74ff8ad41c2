import type { ByItem, Model, Table } from '../model/index.ts';
import { ModelNames } from '../model/index.ts';
import { columnPath, quoteName } from '../formula/index.ts';
import type { ReadersView } from '../release/index.ts';
import type { DataType } from '../values/index.ts';
import { parseType, TEXT } from '../values/index.ts';

/** What an identifier stands for. */
export interface Property {
  readonly id: string;
  readonly title: string | undefined;
  readonly description: string | undefined;
  readonly type: DataType;
}

export interface ColumnProperty extends Property {
  readonly column: string;
}

/** The rows of a table as entities. */
export interface EntitySet {
  readonly id: string;
  readonly table: Table;
  readonly properties: readonly ColumnProperty[];
  /** Properties of the key; the number of the row where the key is not shown or there is none. */
  readonly key: readonly ColumnProperty[] | undefined;
  /** The property that stands for the number of the row, from 1. */
  readonly row: string;
}

export type AnswerProperty =
  | (Property & { readonly kind: 'measure'; readonly measure: string })
  /** `formula` is the attribute as a condition writes it. */
  | (Property & { readonly kind: 'attribute'; readonly item: ByItem; readonly formula: string });

/** All that a perspective offers over OData: a set for each table, and one for answers. */
export interface ODataService {
  readonly namespace: string;
  readonly container: string;
  readonly sets: readonly EntitySet[];
  readonly answers: {
    readonly id: string;
    readonly row: string;
    readonly properties: readonly AnswerProperty[];
  };
}

/** Identifiers have 128 characters at most (CSDL 4.01, 15.2). */
const LONGEST = 128;

/** Identifiers for names: what they may not hold becomes `_`; each is given once, without regard to case. */
class Identifiers {
  private readonly taken = new Set<string>();

  of(name: string): string {
    const fit = name
      .replace(/[^\p{L}\p{Nl}\p{Nd}_]/gu, '_')
      .replace(/^(?=\p{Nd}|$)/u, '_')
      .slice(0, LONGEST - 4);
    for (let n = 1; ; n++) {
      const id = n === 1 ? fit : `${fit}_${n}`;
      if (this.taken.has(id.toLowerCase())) continue;
      this.taken.add(id.toLowerCase());
      return id;
    }
  }
}

/** What readers are offered; `typeOf` gives the type of a measure, or nothing for one that is broken. */
export function serviceOf(
  view: ReadersView,
  typeOf: (measure: string) => DataType | null | undefined,
): ODataService {
  const shown = view.model;
  const ids = new Identifiers();
  const container = ids.of('Container');
  const tables = shown.tables.filter((t) => !view.isRole(t.name));
  return {
    namespace: new Identifiers().of(shown.name),
    container,
    sets: tables.map((table) => setOf(table, ids.of(table.name))),
    answers: answersOf(shown, ids.of('answers'), typeOf),
  };
}

function setOf(table: Table, id: string): EntitySet {
  const ids = new Identifiers();
  const properties = table.columns.map((c): ColumnProperty => ({
    id: ids.of(c.name),
    title: c.title,
    description: c.description,
    type: parseType(c.type) ?? TEXT,
    column: c.name,
  }));
  const key = (table.key ?? []).map((name) =>
    properties.find((p) => p.column.toLowerCase() === name.toLowerCase()),
  );
  const isShown = key.length > 0 && key.every((p) => p !== undefined);
  return { id, table, properties, key: isShown ? (key as ColumnProperty[]) : undefined, row: ids.of('row') };
}

function answersOf(
  model: Model,
  id: string,
  typeOf: (measure: string) => DataType | null | undefined,
): ODataService['answers'] {
  const ids = new Identifiers();
  const row = ids.of('row');
  const names = new ModelNames(model);
  const measures = (model.measures ?? []).flatMap((m): AnswerProperty[] => {
    const type = typeOf(m.name);
    if (type === undefined) return [];
    const { title, description } = m;
    return [{ kind: 'measure', id: ids.of(m.name), title, description, type: type ?? TEXT, measure: m.name }];
  });
  const columns = model.tables.flatMap((table) =>
    table.columns
      .filter((c) => c.use !== 'quantity')
      .map((c): AnswerProperty => ({
        kind: 'attribute',
        id: ids.of(`${table.name}_${c.name}`),
        title: `${table.title ?? table.name}: ${c.title ?? c.name}`,
        description: c.description,
        type: parseType(c.type) ?? TEXT,
        item: columnPath(table.name, c.name),
        formula: `${quoteName(table.name)}.${quoteName(c.name)}`,
      })),
  );
  const levels = (model.hierarchies ?? []).flatMap((h) =>
    (h.levels ?? []).flatMap((level): AnswerProperty[] => {
      const own = names.column(h.table, level.column);
      const found = own ? { table: names.table(h.table)!, column: own } : names.path(level.column);
      if (!found) return [];
      const { table, column } = found;
      return [
        {
          kind: 'attribute',
          id: ids.of(`${h.table}_${h.name}_${level.name}`),
          title: `${names.table(h.table)?.title ?? h.table}: ${h.title ?? h.name}, ${level.name}`,
          description: h.description,
          type: parseType(column.type) ?? TEXT,
          item: { hierarchy: columnPath(h.table, h.name), level: level.name },
          formula: `${quoteName(table.name)}.${quoteName(column.name)}`,
        },
      ];
    }),
  );
  return { id, row, properties: [...measures, ...columns, ...levels] };
}

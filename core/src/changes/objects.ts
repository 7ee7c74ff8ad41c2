import type { Model } from '../model/index.ts';

/** Kinds of objects that a model is made of, as comparisons name them. */
export type ObjectKind =
  | 'model'
  | 'table'
  | 'column'
  | 'relationship'
  | 'hierarchy'
  | 'calendar'
  | 'measure'
  | 'period family'
  | 'perspective'
  | 'detail listing'
  | 'known answer'
  | 'waiver'
  | 'diagram'
  | 'trial'
  | 'corrections'
  | 'target';

/** Everything of a model that has a name of its own; a table without its columns, which are objects. */
export interface ModelObject {
  readonly kind: ObjectKind;
  /** Its name, within its table where it belongs to one: `table.column`, `table.hierarchy`. */
  readonly name: string;
  readonly value: Readonly<Record<string, unknown>>;
  /** Of a column the name of its table. */
  readonly table?: string;
}

type Fields = Record<string, unknown>;
interface Collection {
  readonly field: keyof Model;
  readonly kind: ObjectKind;
  nameOf(value: Fields): string;
}

const named = (value: Fields): string => String(value.name);
/** Lists of a model other than its tables, with what tells their objects apart. */
export const COLLECTIONS: readonly Collection[] = [
  { field: 'relationships', kind: 'relationship', nameOf: named },
  { field: 'hierarchies', kind: 'hierarchy', nameOf: (h) => `${String(h.table)}.${named(h)}` },
  { field: 'calendars', kind: 'calendar', nameOf: (c) => String(c.table) },
  { field: 'measures', kind: 'measure', nameOf: named },
  {
    field: 'periodFamilies',
    kind: 'period family',
    nameOf: (f) => [f.measure, f.via ?? f.calendar].filter((part) => part !== undefined).join(', '),
  },
  { field: 'perspectives', kind: 'perspective', nameOf: named },
  { field: 'detailListings', kind: 'detail listing', nameOf: named },
  { field: 'knownAnswers', kind: 'known answer', nameOf: named },
  {
    field: 'waivers',
    kind: 'waiver',
    nameOf: ({ claim }) => (typeof claim === 'string' ? claim : canonical(claim)),
  },
  { field: 'diagrams', kind: 'diagram', nameOf: named },
  { field: 'trials', kind: 'trial', nameOf: named },
  { field: 'corrections', kind: 'corrections', nameOf: (c) => String(c.of) },
  { field: 'targets', kind: 'target', nameOf: named },
];

/** The fields of a model that are no objects of their own. */
function headOf(model: Model): Fields {
  const lists = new Set<string>(['tables', 'crease', ...COLLECTIONS.map(({ field }) => field)]);
  return Object.fromEntries(Object.entries(model).filter(([field]) => !lists.has(field)));
}

/** The objects of a model, in the order in which its file has them. */
function objectsOf(model: Model): ModelObject[] {
  return [
    { kind: 'model', name: model.name, value: headOf(model) },
    ...model.tables.flatMap(({ columns, ...table }): ModelObject[] => [
      { kind: 'table', name: table.name, value: table },
      ...columns.map((column): ModelObject => ({
        kind: 'column',
        name: `${table.name}.${column.name}`,
        value: column,
        table: table.name,
      })),
    ]),
    ...COLLECTIONS.flatMap(({ field, kind, nameOf }) =>
      ((model[field] as Fields[] | undefined) ?? []).map((value): ModelObject => ({
        kind,
        name: nameOf(value),
        value,
      })),
    ),
  ];
}

/** The id of a table among objects by id. */
export const tableId = (name: string): string => `table ${name.toLowerCase()}`;

/**
 * The objects of a model by what tells them apart: names count without regard to case, and of several of one
 * name, which is a broken claim and no fault of the file, each has its turn.
 */
export function objectsById(model: Model): Map<string, ModelObject> {
  const found = new Map<string, ModelObject>();
  for (const object of objectsOf(model)) {
    const id = object.kind === 'model' ? 'model' : `${object.kind} ${object.name.toLowerCase()}`;
    let turn = 1;
    while (found.has(turn === 1 ? id : `${id} ${turn}`)) turn++;
    found.set(turn === 1 ? id : `${id} ${turn}`, object);
  }
  return found;
}

/** JSON in which the order of fields does not count. */
export function canonical(value: unknown): string {
  return JSON.stringify(value, (_, inner: unknown) =>
    inner !== null && typeof inner === 'object' && !Array.isArray(inner)
      ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)))
      : inner,
  );
}

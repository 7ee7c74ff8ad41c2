import type { RoleTable } from '../formula/index.ts';
import { columnPath, renameInFormula, roleName, withRoles } from '../formula/index.ts';
import type { RenamedThing } from '../formula/index.ts';
import type {
  AskedItem,
  ByItem,
  Hierarchy,
  MeasureItem,
  Model,
  ModelColumn,
  Perspective,
  Query,
  Relationship,
  Table,
} from '../model/index.ts';
import { familyMeasures, sameName, splitPath, isDerived, renameShown, stepsOf } from '../model/index.ts';
import { renameInSteps, StepRefusal } from '../shape/index.ts';
import { sourceKind } from '../sources/index.ts';
import { EditError } from './editError.ts';

type Change = (name: string) => string;

/**
 * The model with another name for a table, a column, a measure or a relationship, wherever the model names
 * it: formulas, filters, hierarchies, perspectives, known answers, shaping steps; waivers follow edits of
 * themselves. Formulas keep their layout and comments. Throws EditError where the name is taken, or where a
 * shaping step would not mean the same by the new name.
 */
export function renameInModel(model: Model, thing: RenamedThing, to: string): Model {
  refuse(model, thing, to);
  const after = renamed(followInSteps(model, thing, to), new Renaming(thing, to, withRoles(model).roles));
  return followInFamilies(model, after);
}

/** Measures over periods are called after their base and their role: what names them goes on doing so. */
function followInFamilies(before: Model, after: Model): Model {
  const made = familyMeasures(after);
  return familyMeasures(before).reduce(
    (model, { name }, i) =>
      name === made[i]!.name ? model : renamed(model, new Renaming({ measure: name }, made[i]!.name, [])),
    after,
  );
}

/**
 * Derived tables go on reading what has another name, and keep the names of their own columns. Throws
 * EditError where a step cannot follow.
 */
function followInSteps(model: Model, thing: RenamedThing, to: string): Model {
  if (!('table' in thing)) return model;
  const { column: old } = thing;
  const tables = model.tables.map((table) => {
    if (!isDerived(table)) return table;
    const { steps, isRenamed } = inSteps(() => renameInSteps(model, table, stepsOf(table), thing, to));
    const columns = table.columns.map((c) =>
      isRenamed && c.formula === undefined && old !== undefined && sameName(c.sourceName ?? c.name, old)
        ? { ...c, sourceName: to }
        : c,
    );
    return { ...table, columns, source: { steps: steps as ReturnType<typeof stepsOf> } };
  });
  return { ...model, tables };
}

/** A step's refusal as one of the edit. */
function inSteps<T>(rename: () => T): T {
  try {
    return rename();
  } catch (error) {
    if (error instanceof StepRefusal) throw new EditError(error.message);
    throw error;
  }
}

/** The model with another name for a role, in the trials and questions that name it. */
export const renameRole = (model: Model, role: string, to: string): Model =>
  renamed(model, new Renaming({ table: role }, to, []));

function renamed(model: Model, renaming: Renaming): Model {
  const tables = model.tables.map((t) => renaming.table(t));
  return {
    ...model,
    tables,
    ...given(
      'relationships',
      model.relationships?.map((r) => renaming.relationship(r)),
    ),
    ...given(
      'hierarchies',
      model.hierarchies?.map((h) => renaming.hierarchy(h)),
    ),
    ...given(
      'calendars',
      model.calendars?.map((c) => ({
        ...c,
        table: renaming.tableName(c.table),
        day: renaming.column(c.table)(c.day),
      })),
    ),
    ...given(
      'measures',
      model.measures?.map((m) => ({
        ...m,
        name: renaming.measure(m.name),
        formula: renaming.formula(m.formula),
        ...given('table', m.table && renaming.tableName(m.table)),
        ...given('via', m.via && renaming.relationshipName(m.via)),
        ...given(
          'goal',
          m.goal && { ...m.goal, ...given('measure', m.goal.measure && renaming.measure(m.goal.measure)) },
        ),
      })),
    ),
    ...given(
      'periodFamilies',
      model.periodFamilies?.map((f) => ({
        ...f,
        measure: renaming.measure(f.measure),
        ...given('calendar', f.calendar && renaming.tableName(f.calendar)),
        ...given('via', f.via && renaming.relationshipName(f.via)),
      })),
    ),
    ...given(
      'perspectives',
      model.perspectives?.map((p) => renaming.perspective(p)),
    ),
    ...given(
      'detailListings',
      model.detailListings?.map((d) => ({
        ...d,
        table: renaming.tableName(d.table),
        ...given('measures', d.measures?.map(renaming.measure)),
        ...given('except', d.except?.map(renaming.measure)),
        ...given('where', d.where && renaming.formula(d.where)),
        columns: d.columns.map((c) =>
          typeof c === 'string'
            ? renaming.ownOrPath(d.table)(c)
            : { ...c, column: renaming.ownOrPath(d.table)(c.column) },
        ),
        ...given(
          'sort',
          d.sort?.map((s) => ({ ...s, of: renaming.ownOrPath(d.table)(s.of) })),
        ),
      })),
    ),
    ...given(
      'knownAnswers',
      model.knownAnswers?.map((k) => ({ ...k, ...given('query', k.query && renaming.query(k.query)) })),
    ),
    ...given(
      'trials',
      model.trials?.map((t) => ({ ...t, query: renaming.query(t.query) })),
    ),
    ...given(
      'corrections',
      model.corrections?.map((c) => ({ ...c, of: renaming.path(c.of) })),
    ),
    ...given(
      'diagrams',
      model.diagrams?.map((d) => ({
        ...d,
        tables: d.tables.map((t) => ({ ...t, table: renaming.tableName(t.table) })),
      })),
    ),
  };
}

/** A field only where it has a value, so that nothing appears that was not there. */
const given = <K extends string, V>(key: K, value: V | undefined): Partial<Record<K, V>> =>
  value === undefined ? {} : ({ [key]: value } as Record<K, V>);

function refuse(model: Model, thing: RenamedThing, to: string): void {
  if (to.trim() === '') throw new EditError('a name must not be empty');
  const taken = (names: readonly string[], old: string) =>
    names.some((name) => sameName(name, to) && !sameName(name, old));
  if ('measure' in thing) {
    if (!(model.measures ?? []).some((m) => sameName(m.name, thing.measure)))
      throw new EditError(`there is no measure "${thing.measure}"`);
    if (
      taken([...(model.measures ?? []).map((m) => m.name), ...model.tables.map((t) => t.name)], thing.measure)
    )
      throw new EditError(`the name "${to}" is already used: choose another`);
    return;
  }
  if ('relationship' in thing) {
    const names = (model.relationships ?? []).map((r) => r.name);
    if (!names.some((name) => sameName(name, thing.relationship)))
      throw new EditError(`there is no relationship "${thing.relationship}"`);
    if (taken(names, thing.relationship))
      throw new EditError(`the name "${to}" is already used: choose another`);
    return;
  }
  const table = model.tables.find((t) => sameName(t.name, thing.table));
  if (!table) throw new EditError(`there is no table "${thing.table}"`);
  const old = thing.column ?? thing.table;
  if (thing.column !== undefined && !table.columns.some((c) => sameName(c.name, old)))
    throw new EditError(`there is no column "${thing.table}.${old}"`);
  const others = thing.column === undefined ? [...model.tables, ...(model.measures ?? [])] : table.columns;
  if (
    taken(
      others.map((o) => o.name),
      old,
    )
  )
    throw new EditError(`the name "${to}" is already used: choose another`);
}

/** Whether a column's values come from elsewhere: a file, a database, a calendar, the last of some steps. */
const isStored = (table: Table, column: ModelColumn): boolean =>
  column.formula === undefined && table.source !== undefined && !sourceKind(table.source).renameColumn;

/** One name for another, in each place that can hold it. */
class Renaming {
  constructor(
    private readonly thing: RenamedThing,
    private readonly to: string,
    private readonly roles: readonly RoleTable[],
  ) {}

  private swap =
    (isIt: (name: string) => boolean): Change =>
    (name) =>
      isIt(name) ? this.to : name;

  readonly tableName: Change = (name) =>
    'table' in this.thing && this.thing.column === undefined && sameName(name, this.thing.table)
      ? this.to
      : name;

  readonly measure: Change = this.swap(
    (name) => 'measure' in this.thing && sameName(name, this.thing.measure),
  );

  readonly relationshipName: Change = this.swap(
    (name) => 'relationship' in this.thing && sameName(name, this.thing.relationship),
  );

  /** A column of a table. */
  column(table: string): Change {
    return this.swap(
      (name) =>
        'table' in this.thing &&
        this.thing.column !== undefined &&
        sameName(table, this.thing.table) &&
        sameName(name, this.thing.column),
    );
  }

  private roleOf(table: string): RoleTable | undefined {
    return this.roles.find((r) => sameName(r.name, table));
  }

  /** A table as a trial names it, which may be a role of one. */
  private readonly asked: Change = (table) => {
    const role = this.roleOf(table);
    return role ? roleName(role, this.tableName(role.table)) : this.tableName(table);
  };

  /** A condition of a trial: it may name roles. */
  private condition(source: string): string {
    const { thing } = this;
    if (!('table' in thing)) return this.formula(source);
    const concerned = this.roles.filter((r) => sameName(r.table, thing.table));
    const own = concerned.reduce((text, role) => {
      const to = thing.column === undefined ? roleName(role, this.to) : this.to;
      return renameInFormula(text, { ...thing, table: role.name }, to);
    }, source);
    return this.formula(own);
  }

  /** `table.column`, as queries and perspectives write it. */
  readonly path: Change = (text) => {
    const parts = splitPath(text);
    if (!parts) return text;
    const [table, column] = parts;
    const [newTable, newColumn] = [
      this.asked(table),
      this.column(this.roleOf(table)?.table ?? table)(column),
    ];
    if (newTable === table && newColumn === column) return text;
    return columnPath(newTable, newColumn);
  };

  readonly hierarchyPath: Change = (text) => {
    const [table, name] = splitPath(text) ?? [];
    return table === undefined || this.asked(table) === table ? text : `${this.asked(table)}.${name}`;
  };

  /** A column of the table itself, or a path. */
  ownOrPath(table: string): Change {
    return (text) => (splitPath(text) ? this.path(text) : this.column(table)(text));
  }

  formula(source: string, own?: string): string {
    return renameInFormula(source, this.thing, this.to, own);
  }

  table(table: Table): Table {
    const column = this.column(table.name);
    const { validity, weight, partition } = table;
    return {
      ...table,
      name: this.tableName(table.name),
      ...given('source', table.source && this.source(table)),
      columns: table.columns.map((c) => ({
        ...c,
        name: column(c.name),
        // Its values are found under the name that they have where they come from.
        ...(column(c.name) !== c.name && isStored(table, c) ? { sourceName: c.sourceName ?? c.name } : {}),
        ...given('formula', c.formula === undefined ? undefined : this.formula(c.formula, table.name)),
      })),
      ...given('key', table.key?.map(column)),
      ...given(
        'questions',
        table.questions?.map((q) => ({
          ...q,
          ...given('by', q.by?.map(this.path)),
          ...given('measures', q.measures?.map(this.measure)),
        })),
      ),
      ...given('label', table.label && column(table.label)),
      ...(typeof table.snapshot === 'string' ? { snapshot: this.ownOrPath(table.name)(table.snapshot) } : {}),
      ...given(
        'validity',
        validity && { of: validity.of.map(column), from: column(validity.from), to: column(validity.to) },
      ),
      ...given('weight', weight && { column: column(weight.column), per: weight.per.map(column) }),
      ...given('watermark', table.watermark && column(table.watermark)),
      ...given('partition', partition && { ...partition, by: column(partition.by) }),
    };
  }

  /** Some sources name their columns themselves: members typed by hand. */
  private source(table: Table): Table['source'] {
    const { source } = table;
    if (!source) return source;
    return sourceKind(source).renameColumn?.(source, this.column(table.name)) ?? source;
  }

  relationship(r: Relationship): Relationship {
    const end = (e: Relationship['from']) => ({
      table: this.tableName(e.table),
      columns: e.columns.map(this.column(e.table)),
    });
    return { ...r, name: this.relationshipName(r.name), from: end(r.from), to: end(r.to) };
  }

  hierarchy(h: Hierarchy): Hierarchy {
    const [own, column] = [this.ownOrPath(h.table), this.column(h.table)];
    return {
      ...h,
      table: this.tableName(h.table),
      ...given(
        'levels',
        h.levels?.map((level) => ({
          ...level,
          column: own(level.column),
          ...given(
            'key',
            level.key === undefined
              ? undefined
              : Array.isArray(level.key)
                ? level.key.map(own)
                : own(level.key),
          ),
          ...given('orderBy', level.orderBy && own(level.orderBy)),
        })),
      ),
      ...given('key', h.key && column(h.key)),
      ...given('parent', h.parent && column(h.parent)),
      ...given('label', h.label && column(h.label)),
    };
  }

  perspective(p: Perspective): Perspective {
    const renames = [
      ['tables', this.tableName],
      ['columns', this.path],
      ['hierarchies', this.hierarchyPath],
      ['measures', this.measure],
    ] as const;
    return renames.reduce((at, [part, rename]) => renameShown(at, part, rename), p);
  }

  query(query: Query): Query {
    const plain = (by: ByItem): ByItem =>
      typeof by === 'string' ? this.path(by) : { ...by, hierarchy: this.hierarchyPath(by.hierarchy) };
    const item = (by: AskedItem): AskedItem =>
      typeof by === 'string' || !('formula' in by)
        ? plain(by)
        : { ...by, formula: this.formula(by.formula, by.of), of: this.asked(by.of) };
    const measure = (asked: MeasureItem): MeasureItem =>
      typeof asked === 'string'
        ? this.measure(asked)
        : 'formula' in asked
          ? { ...asked, formula: this.formula(asked.formula) }
          : { ...asked, column: this.path(asked.column) };
    return {
      ...query,
      measures: query.measures.map(measure),
      ...given('by', query.by?.map(item)),
      ...given('across', query.across?.map(item)),
      ...given(
        'filters',
        query.filters?.map((filter) =>
          'column' in filter
            ? { ...filter, column: this.path(filter.column) }
            : 'where' in filter
              ? { where: this.condition(filter.where) }
              : 'having' in filter
                ? { having: this.formula(filter.having) }
                : 'top' in filter
                  ? { ...filter, of: this.measure(filter.of), ...given('per', filter.per?.map(item)) }
                  : { ...filter, ...given('calendar', filter.calendar && this.asked(filter.calendar)) },
        ),
      ),
      ...given(
        'sort',
        query.sort?.map((s) => ({
          ...s,
          of: typeof s.of === 'string' ? this.measure(this.path(s.of)) : plain(s.of),
        })),
      ),
    };
  }
}

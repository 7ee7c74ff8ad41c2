import type { Hierarchy, Model, PlainQuery, Relationship, Table } from '../model/index.ts';
import { cardinalityOf, isDefault, ModelNames, sameName } from '../model/index.ts';
import type { DataOracle } from './checked.ts';
import { FormulaChecker } from './checker.ts';
import { columnPath } from './lexer.ts';

/** A dimension as one role of it is named in a trial. */
export interface RoleTable {
  /** As a trial names it. */
  readonly name: string;
  readonly role: string;
  /** The table whose rows it has: the dimension, or one that the dimension looks up. */
  readonly table: string;
}

/** A model in which each role stands as a table of its own beside the dimension that plays it. */
export interface RoledModel {
  readonly model: Model;
  readonly roles: readonly RoleTable[];
  /** The table whose rows a role has, by the role's name in lower case. */
  readonly rowsOf: ReadonlyMap<string, string>;
}

const known = new WeakMap<Model, RoledModel>();

/**
 * Adds a table for each role name of the model's relationships, with the same columns and hierarchies as its
 * dimension; all relationships of that role, default or not, lead to it, so that one question can ask by the
 * dimension and by its roles at once. What the dimension looks up stands as `ROLE TABLE`. A role is called by
 * its name, or as `ROLE TABLE` where several dimensions have it or the name is taken by a table or a measure;
 * where that is taken too, there is none. Kept by model.
 */
export function withRoles(model: Model): RoledModel {
  let made = known.get(model);
  if (!made) {
    made = makeRoles(model);
    known.set(model, made);
  }
  return made;
}

const checkers = new WeakMap<FormulaChecker, FormulaChecker>();

/**
 * A checker of the same model with a table for each role; what it asks of the data, it asks of the dimension.
 * Kept by checker.
 */
export function roledChecker(checker: FormulaChecker): FormulaChecker {
  let made = checkers.get(checker);
  if (!made) {
    const { model, rowsOf } = withRoles(checker.model);
    const { oracle } = checker;
    const asked: DataOracle | undefined = oracle && {
      determines: (table, level, column) =>
        oracle.determines(rowsOf.get(table.toLowerCase()) ?? table, level, column),
    };
    made = new FormulaChecker(model, asked, rowsOf);
    checkers.set(checker, made);
  }
  return made;
}

/** Whether a query may name a role; if not, roles need not be looked at. */
export function mentionsRole(model: Model, query: PlainQuery): boolean {
  if (!(model.relationships ?? []).some((r) => r.role)) return false;
  const text = bare(JSON.stringify([query.by, query.filters, query.sort]));
  return withRoles(model).roles.some(({ name }) => text.includes(bare(name)));
}

const longName = (role: string, table: string): string => `${role} ${table}`;

/** What a role of a table is called once the table has another name. */
export const roleName = ({ name, role }: RoleTable, table: string): string =>
  name === role ? role : longName(role, table);

/** A text without what quoting adds in formulas and in JSON. */
const bare = (text: string): string => text.replace(/["\\]/g, '').toLowerCase();

function makeRoles(model: Model): RoledModel {
  const names = new ModelNames(model);
  const taken = new Set(
    [...model.tables, ...(model.measures ?? [])].map((thing) => thing.name.toLowerCase()),
  );
  const parts = {
    tables: [] as Table[],
    relationships: [] as Relationship[],
    hierarchies: [] as Hierarchy[],
  };
  const calendars: NonNullable<Model['calendars']> = [];
  const roles: RoleTable[] = [];

  const playing = (model.relationships ?? []).filter(
    (r) => r.role?.trim() && names.table(r.to.table) && names.table(r.from.table),
  );
  const dimensions = groups(playing, (r) => r.role!.trim().toLowerCase());
  for (const ofRole of dimensions) {
    const targets = groups(ofRole, (r) => r.to.table.toLowerCase());
    for (const relationships of targets) {
      const role = relationships[0]!.role!.trim();
      const dimension = names.table(relationships[0]!.to.table)!;
      const name = [...(targets.length === 1 ? [role] : []), longName(role, dimension.name)].find(
        (wanted) => !taken.has(wanted.toLowerCase()),
      );
      if (name === undefined) continue;
      taken.add(name.toLowerCase());

      const onward = lookedUp(model, names, dimension);
      const called = new Map([[dimension.name, name]]);
      for (const { to } of onward) {
        const outrigger = names.table(to.table)!;
        const wanted = longName(role, outrigger.name);
        if (called.has(outrigger.name) || taken.has(wanted.toLowerCase())) continue;
        taken.add(wanted.toLowerCase());
        called.set(outrigger.name, wanted);
      }
      const calledAs = (table: string): string | undefined => called.get(names.table(table)!.name);
      for (const [table, as] of called) {
        roles.push({ name: as, role, table });
        // Nothing is counted from a role: it is looked up, whatever the table is.
        parts.tables.push({ ...names.table(table)!, name: as, role: 'dimension' });
        parts.hierarchies.push(...hierarchiesOf(model, names, table, as, calledAs));
        for (const calendar of model.calendars ?? [])
          if (sameName(calendar.table, table)) calendars.push({ ...calendar, table: as });
      }
      for (const r of relationships)
        parts.relationships.push({
          ...r,
          name: `${r.name} as ${name}`,
          to: { ...r.to, table: name },
          default: true,
        });
      for (const r of onward) {
        const [from, to] = [calledAs(r.from.table), calledAs(r.to.table)];
        if (from !== undefined && to !== undefined)
          parts.relationships.push({
            ...r,
            name: `${r.name} from ${from}`,
            from: { ...r.from, table: from },
            to: { ...r.to, table: to },
          });
      }
    }
  }
  return {
    model: {
      ...model,
      tables: [...model.tables, ...parts.tables],
      relationships: [...(model.relationships ?? []), ...parts.relationships],
      hierarchies: [...(model.hierarchies ?? []), ...parts.hierarchies],
      calendars: [...(model.calendars ?? []), ...calendars],
    },
    roles,
    rowsOf: new Map(roles.map(({ name, table }) => [name.toLowerCase(), table])),
  };
}

function groups<T>(list: readonly T[], key: (item: T) => string): T[][] {
  const found = new Map<string, T[]>();
  for (const item of list) found.set(key(item), [...(found.get(key(item)) ?? []), item]);
  return [...found.values()];
}

/** Relationships by which a dimension looks up others, and those look up others in turn. */
function lookedUp(model: Model, names: ModelNames, dimension: Table): Relationship[] {
  const found = new Set<Relationship>();
  const met = new Set([dimension.name.toLowerCase()]);
  for (const table of met) {
    for (const r of model.relationships ?? []) {
      if (
        !sameName(r.from.table, table) ||
        !isDefault(r) ||
        cardinalityOf(r) === 'many-to-many' ||
        !names.table(r.to.table)
      )
        continue;
      found.add(r);
      met.add(r.to.table.toLowerCase());
    }
  }
  return [...found];
}

/**
 * A table's hierarchies for one role of it; those with a level of a table that the role does not have are
 * left out.
 */
function hierarchiesOf(
  model: Model,
  names: ModelNames,
  table: string,
  as: string,
  calledAs: (table: string) => string | undefined,
): Hierarchy[] {
  const moved = (path: string): string | undefined => {
    if (names.column(table, path)) return path;
    const found = names.path(path);
    const home = found && calledAs(found.table.name);
    return found && home !== undefined ? columnPath(home, found.column.name) : undefined;
  };
  return (model.hierarchies ?? []).flatMap((h): Hierarchy[] => {
    if (!sameName(h.table, table)) return [];
    const levels = h.levels?.map((level) => ({
      ...level,
      column: moved(level.column),
      ...(level.key === undefined ? {} : { key: [level.key].flat().map(moved) }),
      ...(level.orderBy === undefined ? {} : { orderBy: moved(level.orderBy) }),
    }));
    const lost = levels?.some((l) =>
      [l.column, ...(l.key ?? []), ...('orderBy' in l ? [l.orderBy] : [])].includes(undefined),
    );
    return lost
      ? []
      : [{ ...h, table: as, ...(levels ? { levels: levels as NonNullable<Hierarchy['levels']> } : {}) }];
  });
}

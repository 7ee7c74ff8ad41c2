import type { RoleTable } from '../formula/index.ts';
import { parseFormula, placesIn, withRoles } from '../formula/index.ts';
import type {
  AskedItem,
  DetailListing,
  Hierarchy,
  Measure,
  Model,
  Perspective,
  Query,
  QueryFilter,
  Table,
} from '../model/index.ts';
import { isShown, ModelNames, ownMeasures, sameName, seenBy, withFamilies } from '../model/index.ts';

/** A kept trial that readers may see answered, but whose question speaks of what they are not shown. */
export interface ClosedTrial {
  readonly name: string;
  readonly title?: string | undefined;
  readonly folder?: string | undefined;
}

/**
 * All that the readers of a released model may know of it: `model` has nothing but what is shown to them, so
 * that it can be handed out. Formulas that speak of anything else are empty in it, as are the columns of
 * relationships; roles of a dimension are tables like others.
 */
export class ReadersView {
  readonly model: Model;
  readonly closedTrials: readonly ClosedTrial[];
  private readonly roles: readonly RoleTable[];
  private readonly names: ModelNames;
  private readonly hidden: readonly RegExp[];

  /** Without a perspective they see all that is not hidden. */
  constructor(whole: Model, perspective: Perspective | undefined) {
    // Period families may be written out already: each of their measures is there once.
    const once = withFamilies({ ...whole, measures: [...ownMeasures(whole)] });
    const { model: roled, rowsOf, roles } = withRoles(once);
    this.roles = roles;
    const shown = seenBy(roled, withRolesShown(perspective ?? everything(roled), roled, rowsOf));
    const tables = shown.tables
      .filter((t) => t.role !== 'staging' && !t.hidden && t.columns.length > 0)
      .map(tableForReaders)
      .map((t) => ofRole(t, roles));
    // What is shown of measures and tables is needed to tell which formulas and trials can be shown whole.
    const base: Model = { ...shown, tables, perspectives: [] };
    this.names = new ModelNames(base);
    const hierarchies = (shown.hierarchies ?? []).flatMap((h) => this.hierarchyForReaders(h));
    this.names = new ModelNames({ ...base, hierarchies });
    const trials = shown.trials ?? [];
    const isOpen = ({ query }: { query: Query }) => this.notShown(query).length === 0;
    this.closedTrials = trials
      .filter((t) => !isOpen(t) && this.namesShown(t.query))
      .map(({ name, title, folder }) => ({ name, title, folder }));
    const { crease, name, title, description, asOf } = whole;
    this.model = {
      crease,
      name,
      ...defined({ title, description, asOf }),
      tables,
      relationships: (shown.relationships ?? [])
        .filter((r) => this.names.table(r.from.table) && this.names.table(r.to.table))
        .map(({ from, to, default: isDefault }, i) => ({
          name: `${from.table} to ${to.table} ${i + 1}`,
          from: { table: from.table, columns: [] },
          to: { table: to.table, columns: [] },
          ...defined({ default: isDefault }),
        })),
      hierarchies,
      calendars: (shown.calendars ?? [])
        .filter((c) => this.names.table(c.table))
        .map(({ table, day, fiscalYear }) => ({
          table,
          day: this.names.column(table, day) ? day : '',
          ...defined({ fiscalYear }),
        })),
      measures: (shown.measures ?? []).map((m) => this.measureForReaders(m)),
      detailListings: (shown.detailListings ?? []).flatMap((l) => this.listingForReaders(l)),
      trials: trials.filter(isOpen),
    };
    this.hidden = hiddenNames(roled, this.model);
  }

  /** Names in a question that readers are not shown, or that there are not; each as it is asked. */
  notShown(query: Query): string[] {
    const found = [
      ...[...(query.by ?? []), ...(query.across ?? [])].flatMap((item) => this.ofItem(item)),
      ...query.measures.flatMap((m) => {
        if (typeof m === 'string') return this.names.measure(m) ? [] : [m];
        return 'formula' in m ? this.ofFormula(m.formula, query) : this.ofPath(m.column);
      }),
      ...(query.filters ?? []).flatMap((filter) => this.ofFilter(filter, query)),
    ];
    return [...new Set(found)];
  }

  /**
   * Whether the heads of an answer name nothing that is not shown. Parts on the spot have names of their own:
   * whoever kept such a question for readers wants them to have its answer.
   */
  private namesShown({ by = [], across = [], measures }: Query): boolean {
    const isSpot = (item: unknown) => typeof item === 'object' && item !== null && 'formula' in item;
    const named = {
      by: [...by, ...across].filter((item) => !isSpot(item)),
      measures: measures.filter((item) => !isSpot(item)),
    };
    return this.notShown(named).length === 0;
  }

  /** Columns written `table.column` that readers are not shown. */
  columnsNotShown(paths: readonly string[]): string[] {
    return paths.filter((path) => !this.names.path(path));
  }

  /** Whether a table is but a role of another one. */
  isRole(table: string): boolean {
    return this.roles.some((role) => sameName(role.name, table));
  }

  /** The title of a column written `table.column`, if it has one. */
  titleOf(path: string): string | undefined {
    return this.names.path(path)?.column.title;
  }

  /**
   * A message for readers: one that speaks of what they are not shown is put in words that do not. Names are
   * looked for as whole words, so that a common word which is such a name makes a message poorer, and never
   * the other way round.
   */
  told(message: string): string {
    return this.hidden.some((name) => name.test(message))
      ? 'this cannot be answered from what is shown here'
      : message;
  }

  private ofPath(path: string): string[] {
    return this.names.path(path) ? [] : [path];
  }

  private ofItem(item: AskedItem): string[] {
    if (typeof item === 'string') return this.ofPath(item);
    if ('formula' in item) {
      const table = this.names.table(item.of);
      return table ? this.ofFormula(item.formula, { measures: [] }, table) : [item.of];
    }
    const hierarchy = this.names.hierarchy(item.hierarchy);
    if (!hierarchy) return [item.hierarchy];
    if ('depth' in item) return [];
    return (hierarchy.levels ?? []).some((l) => sameName(l.name, item.level)) ? [] : [item.level];
  }

  private ofFilter(filter: QueryFilter, query: Query): string[] {
    if ('column' in filter) return this.ofPath(filter.column);
    if ('where' in filter) return this.ofFormula(filter.where, query);
    if ('having' in filter) return this.ofFormula(filter.having, query);
    if ('top' in filter)
      return [
        ...(this.isOwnMeasure(filter.of, query) || this.names.measure(filter.of) ? [] : [filter.of]),
        ...(filter.per ?? []).flatMap((item) => this.ofItem(item)),
      ];
    return filter.calendar === undefined || this.names.table(filter.calendar) ? [] : [filter.calendar];
  }

  private isOwnMeasure(name: string, { measures }: Query): boolean {
    return measures.some((m) => typeof m === 'object' && 'name' in m && sameName(m.name, name));
  }

  /** Names in a formula; those that stand alone may be measures, tables to count, or columns of its table. */
  private ofFormula(formula: string, query: Query, of?: Table): string[] {
    const names = [...placesIn(parseFormula(formula).tree)].flatMap((place): string[] => {
      const { text } = place.name;
      switch (place.role) {
        case 'column':
          return this.names.column(place.table, text) ? [] : [`${place.table}.${text}`];
        case 'table':
          return this.names.table(text) ? [] : [text];
        case 'relationship':
          return [text];
        case 'alone':
          return place.step || this.isNamed(text, query, of) ? [] : [text];
      }
    });
    return [...new Set(names)];
  }

  private isNamed(name: string, query: Query, of: Table | undefined): boolean {
    return Boolean(
      (of && this.names.column(of, name)) ??
      this.names.measure(name) ??
      this.names.table(name) ??
      (this.isOwnMeasure(name, query) || undefined),
    );
  }

  private measureForReaders(measure: Measure): Measure {
    const { name, title, description, format, folder, unreached, goal, table } = measure;
    const isWhole = this.ofFormula(measure.formula, { measures: [] }).length === 0;
    return {
      name,
      formula: isWhole ? measure.formula : '',
      ...defined({
        title,
        description,
        format,
        folder,
        unreached,
        table: table !== undefined && this.names.table(table) ? table : undefined,
        goal: goal?.measure === undefined || this.names.measure(goal.measure) ? goal : undefined,
      }),
    };
  }

  private hierarchyForReaders(h: Hierarchy): Hierarchy[] {
    const { name, title, description, table } = h;
    const said = { name, table, ...defined({ title, description, default: h.default }) };
    if (h.parent !== undefined) {
      const label = h.label ?? h.parent;
      return this.names.column(table, label) ? [{ ...said, parent: label, label }] : [];
    }
    const isThere = (path: string) => this.names.column(table, path) ?? this.names.path(path);
    const levels = h.levels ?? [];
    return levels.every((l) => isThere(l.column))
      ? [{ ...said, levels: levels.map((l) => ({ name: l.name, column: l.column })) }]
      : [];
  }

  private listingForReaders(listing: DetailListing): DetailListing[] {
    const { name, title, table, columns, sort, limit, measures, except } = listing;
    if (!this.names.table(table)) return [];
    const isThere = (path: string) => this.names.column(table, path) ?? this.names.path(path);
    const isWhole = columns.every((c) => isThere(typeof c === 'string' ? c : c.column));
    const seen = (list: string[] | undefined) => list?.filter((m) => this.names.measure(m));
    return isWhole
      ? [
          {
            name,
            table,
            columns,
            ...defined({
              title,
              limit,
              measures: seen(measures),
              except: seen(except),
              sort: sort?.filter((s) => isThere(s.of)),
            }),
          },
        ]
      : [];
  }
}

/** The fields that have a value. */
function defined<T extends object>(fields: T): { [K in keyof T]?: Exclude<T[K], undefined> } {
  return Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined)) as {
    [K in keyof T]?: Exclude<T[K], undefined>;
  };
}

/** The perspective of those who see all that is not hidden. */
function everything(model: Model): Perspective {
  const visible = (list: readonly { readonly name: string; readonly hidden?: boolean | undefined }[]) =>
    list.filter((one) => !one.hidden).map((one) => one.name);
  return {
    name: model.name,
    tables: visible(model.tables),
    hierarchies: (model.hierarchies ?? []).map((h) => `${h.table}.${h.name}`),
    measures: visible(model.measures ?? []),
    listings: (model.detailListings ?? []).map((l) => l.name),
    trials: (model.trials ?? []).map((t) => t.name),
  };
}

/** The perspective with the roles of the dimensions that it shows. */
function withRolesShown(p: Perspective, roled: Model, rowsOf: ReadonlyMap<string, string>): Perspective {
  const roles = roled.tables.flatMap((table) => {
    const of = rowsOf.get(table.name.toLowerCase());
    return of === undefined ? [] : [{ table, of }];
  });
  const hierarchies = (roled.hierarchies ?? []).flatMap((h) => {
    const of = rowsOf.get(h.table.toLowerCase());
    return of !== undefined && isShown(p, 'hierarchies', `${of}.${h.name}`) ? [`${h.table}.${h.name}`] : [];
  });
  return {
    ...p,
    tables: [
      ...p.tables,
      ...roles.filter(({ of }) => isShown(p, 'tables', of)).map(({ table }) => table.name),
    ],
    columns: [
      ...(p.columns ?? []),
      ...roles.flatMap(({ table, of }) =>
        table.columns
          .filter((c) => isShown(p, 'columns', `${of}.${c.name}`))
          .map((c) => `${table.name}.${c.name}`),
      ),
    ],
    hierarchies: [...(p.hierarchies ?? []), ...hierarchies],
  };
}

function tableForReaders({ name, title, description, role, grain, key, label, columns }: Table): Table {
  const isThere = (column: string) => columns.some((c) => sameName(c.name, column));
  return {
    name,
    role,
    ...defined({
      title,
      description,
      grain,
      key: key?.every(isThere) ? key : undefined,
      label: label !== undefined && isThere(label) ? label : undefined,
    }),
    columns: columns.map((c) => ({
      name: c.name,
      type: c.type,
      ...defined({
        title: c.title,
        description: c.description,
        use: c.use,
        aggregate: c.aggregate,
        folder: c.folder,
        format: c.format,
      }),
    })),
  };
}

/** The table of a role says which: it has the title of the dimension that plays it. */
function ofRole(table: Table, roles: readonly RoleTable[]): Table {
  const role = roles.find((r) => sameName(r.name, table.name));
  if (!role) return table;
  return { ...table, title: table.title === undefined ? table.name : `${table.title} (${role.role})` };
}

/** Names of the whole model that are not those of anything that readers see. */
function hiddenNames(whole: Model, seen: Model): RegExp[] {
  const names = (model: Model): string[] => [
    ...model.tables.flatMap((t) => [t.name, ...t.columns.map((c) => c.name)]),
    ...(model.measures ?? []).map((m) => m.name),
    ...(model.hierarchies ?? []).map((h) => h.name),
    ...(model.relationships ?? []).map((r) => r.name),
  ];
  const known = new Set(names(seen).map((name) => name.toLowerCase()));
  const hidden = new Set(names(whole).filter((name) => !known.has(name.toLowerCase())));
  return [...hidden].map(
    (name) => new RegExp(`(?<![\\p{L}\\p{N}_])${escapedForRegExp(name)}(?![\\p{L}\\p{N}_])`, 'iu'),
  );
}

const escapedForRegExp = (text: string): string => text.replace(/[.*+?^${}()|[\]\\/-]/g, '\\$&');

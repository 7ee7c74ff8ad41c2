import type { JudgedClaim } from '../claims/index.ts';
import type { WithoutConstraints } from '../interchange/index.ts';
import type { Model, Perspective, Table } from '../model/index.ts';
import { sameName, seenBy } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { DataError } from '../query/index.ts';
import type { SqlDialect } from '../sql/index.ts';
import { compileQuery, quoted, standaloneSql } from '../sql/index.ts';
import { ReadersView } from './readers.ts';

/** A constraint that a target does not get, and the claim that speaks against it. */
export interface OmittedConstraint {
  readonly what: string;
  readonly claim: string;
}

/** Claims without which a table has no primary key, and a relationship no foreign key. */
const OF_KEYS = ['key-unique', 'key-filled'];
const OF_REFERENCES = ['reference-complete', 'cardinality', 'reference-type'];

/**
 * Constraints that the rows would not keep: those whose claims are waived, or broken with a warning only.
 * What refers to a table without a key has no foreign key either.
 */
export function omittedConstraints(
  model: Model,
  claims: readonly JudgedClaim[],
): WithoutConstraints & { readonly told: readonly OmittedConstraint[] } {
  const against = claims.filter((c) => c.verdict === 'broken' || c.verdict === 'waived');
  const told: OmittedConstraint[] = [];
  const [keys, references] = [new Set<string>(), new Set<string>()];
  for (const { kind, ref, id } of against) {
    if (OF_KEYS.includes(kind) && ref.table !== undefined && !keys.has(ref.table)) {
      keys.add(ref.table);
      told.push({ what: `primary key of ${ref.table}`, claim: id });
    }
    if (OF_REFERENCES.includes(kind) && ref.relationship !== undefined && !references.has(ref.relationship)) {
      references.add(ref.relationship);
      told.push({ what: `foreign key ${ref.relationship}`, claim: id });
    }
  }
  for (const r of model.relationships ?? []) {
    const to = [...keys].find((table) => sameName(table, r.to.table));
    if (to === undefined || references.has(r.name)) continue;
    references.add(r.name);
    told.push({ what: `foreign key ${r.name}`, claim: `key-unique:${to}` });
  }
  return { keys, references, told };
}

/** Tables that a release brings to its target. */
export const releasedTables = (model: Model): Table[] => model.tables.filter((t) => t.role !== 'staging');

/** A view of an audience, or of a kept trial of it. */
export interface ReleasedView {
  /** The perspective that it is for. */
  readonly audience: string;
  readonly name: string;
  readonly select: string;
  readonly comment: string;
}

/** A measure as a target lists it; without SQL where it has none in this dialect. */
export interface ReleasedMeasure {
  readonly name: string;
  readonly title: string | null;
  readonly description: string | null;
  readonly formula: string;
  readonly sql: string | null;
}

/** Columns of a view under names that are told apart: titles, or names where two titles are the same. */
function columnHeads(columns: Table['columns']): string[] {
  const heads = columns.map((c) => c.title ?? c.name);
  return heads.map((head, i) =>
    heads.some((other, j) => j !== i && other.toLowerCase() === head.toLowerCase()) ? columns[i]!.name : head,
  );
}

/**
 * The views of a perspective: the tables that it shows, under its titles and without what is hidden, and its
 * kept trials with their measures worked out in SQL. `nameOf` says how a table is called at the target.
 */
export function viewsOf(
  data: ModelData,
  perspective: Perspective,
  dialect: SqlDialect,
  nameOf: (table: string) => string = quoted,
): { readonly views: ReleasedView[]; readonly faults: readonly string[] } {
  const seen = seenBy(data.model, perspective);
  const faults: string[] = [];
  const built = new Set(releasedTables(data.model).map((t) => t.name.toLowerCase()));
  const tables = seen.tables
    .filter((t) => built.has(t.name.toLowerCase()) && !t.hidden && t.columns.length > 0)
    .map((table): ReleasedView => {
      const heads = columnHeads(table.columns);
      const list = table.columns.map((c, i) => `${quoted(c.name)} as ${quoted(heads[i]!)}`);
      return {
        audience: perspective.name,
        name: table.title ?? table.name,
        select: `select ${list.join(', ')} from ${nameOf(table.name)}`,
        comment: table.description ?? table.grain ?? '',
      };
    });
  const trials = (seen.trials ?? []).flatMap((trial): ReleasedView[] => {
    try {
      const { rows } = compileQuery(data, trial.query, dialect);
      return [
        {
          audience: perspective.name,
          name: trial.title ?? trial.name,
          select: standaloneSql(rows, dialect),
          comment: `a kept trial; relative periods count from ${data.model.asOf ?? 'the day of the release'}`,
        },
      ];
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      faults.push(`the trial ${trial.name} has no view: ${error.message}`);
      return [];
    }
  });
  return { views: apart([...tables, ...trials, ...measuresView(data, perspective, dialect)]), faults };
}

/** Under this name an audience lists its measures, as the target lists all of them. */
const MEASURES_VIEW = 'crease_measure';

/**
 * The measures that an audience sees, under its titles; formulas and SQL only where they speak of nothing
 * that it is not shown.
 */
function measuresView(data: ModelData, perspective: Perspective, dialect: SqlDialect): ReleasedView[] {
  const { model } = new ReadersView(data.model, perspective);
  const cell = (text: string | null | undefined) =>
    `cast(${text ? `'${text.replaceAll("'", "''")}'` : 'null'} as text)`;
  const rows = (model.measures ?? []).map((m) => {
    const sql = m.formula === '' ? null : totalSql(data, m.name, dialect);
    const cells = [m.name, m.title, m.description, m.formula, sql].map(cell);
    return `select ${MEASURE_COLUMNS.map((name, i) => `${cells[i]!} as ${quoted(name)}`).join(', ')}`;
  });
  if (rows.length === 0) return [];
  return [
    {
      audience: perspective.name,
      name: MEASURES_VIEW,
      select: rows.join(' union all '),
      comment: 'the measures of this audience',
    },
  ];
}

const MEASURE_COLUMNS = ['name', 'title', 'description', 'formula', 'sql'];

/** Views of one audience under names that no other has. */
function apart(views: readonly ReleasedView[]): ReleasedView[] {
  const taken = new Set<string>();
  return views.map((view) => {
    let name = view.name;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${view.name} ${n}`;
    taken.add(name.toLowerCase());
    return { ...view, name };
  });
}

/** Measures as a target lists them, each with the SQL of its total. */
export function measuresOf(data: ModelData, dialect: SqlDialect): ReleasedMeasure[] {
  return (data.model.measures ?? []).map((m) => ({
    name: m.name,
    title: m.title ?? null,
    description: m.description ?? null,
    formula: m.formula,
    sql: totalSql(data, m.name, dialect),
  }));
}

/** SQL of totals by dialect and measure: a target lists them, and each audience does again. */
const totals = new WeakMap<ModelData, Map<string, string | null>>();

function totalSql(data: ModelData, measure: string, dialect: SqlDialect): string | null {
  const known = totals.get(data) ?? new Map<string, string | null>();
  totals.set(data, known);
  const key = `${dialect} ${measure}`;
  if (!known.has(key)) known.set(key, compiledTotal(data, measure, dialect));
  return known.get(key)!;
}

function compiledTotal(data: ModelData, measure: string, dialect: SqlDialect): string | null {
  try {
    return standaloneSql(compileQuery(data, { measures: [measure] }, dialect).rows, dialect);
  } catch (error) {
    if (error instanceof DataError) return null;
    throw error;
  }
}

/**
 * What of a target's definitions a change of the model touches, in words: tables, an audience's views,
 * measures as they are listed there.
 */
export function touchedAtTargets(before: Model, after: Model): string[] {
  const differing = <T>(
    list: (model: Model) => readonly T[],
    nameOf: (one: T) => string,
    seen: (one: T, model: Model) => unknown,
  ) => {
    const textsOf = (model: Model) =>
      new Map(
        list(model).map((one) => [
          nameOf(one).toLowerCase(),
          [nameOf(one), JSON.stringify(seen(one, model))],
        ]),
      );
    const [was, is] = [textsOf(before), textsOf(after)];
    return [...new Set([...was.keys(), ...is.keys()])]
      .filter((key) => was.get(key)?.[1] !== is.get(key)?.[1])
      .map((key) => (is.get(key) ?? was.get(key))![0]!);
  };
  const waysFrom = (model: Model, table: string) =>
    (model.relationships ?? []).filter((r) => sameName(r.from.table, table));
  const tables = differing(
    releasedTables,
    (t) => t.name,
    (t, model) => [
      t.title,
      t.description,
      t.key,
      t.partition,
      waysFrom(model, t.name),
      t.columns.map(({ name, type, title, description, formula }) => [
        name,
        type,
        title,
        description,
        formula,
      ]),
    ],
  );
  const views = differing(
    (m) => m.perspectives ?? [],
    (p) => p.name,
    (p, model) => {
      const seen = seenBy(model, p);
      return [
        seen.tables.map((t) => [t.name, t.title, t.columns.map((c) => [c.name, c.title])]),
        seen.trials,
      ];
    },
  );
  const measures = differing(
    (m) => m.measures ?? [],
    (m) => m.name,
    (m) => [m.title, m.description, m.formula],
  );
  return [
    ...tables.map((name) => `table ${name}`),
    ...views.map((name) => `views of ${name}`),
    ...measures.map((name) => `measure ${name}`),
  ];
}

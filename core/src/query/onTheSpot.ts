import { BOOLEAN, formatType, INTEGER, TEXT } from '../values/index.ts';
import type { CheckedFormula } from '../formula/index.ts';
import { columnPath, placeOf } from '../formula/index.ts';
import type {
  AskedItem,
  ByItem,
  Measure,
  MeasureItem,
  Model,
  PlainFilter,
  PlainQuery,
  Query,
  TopFilter,
} from '../model/index.ts';
import { freeName, sameName } from '../model/index.ts';
import type { Named } from './axes.ts';
import { QueryError, resolvePath } from './axes.ts';

/**
 * A query whose parts on the spot stand in a model of their own: attributes as derived columns, measures and
 * conditions on measures as measures. So both evaluators answer it as they answer any other.
 */
export interface PlainAsked {
  /** The model with the parts on the spot; the model itself where there are none. */
  readonly model: Model;
  /** `by` holds the items of `by`, then those of `across`; measures are those asked for. */
  readonly query: PlainQuery;
  readonly byCount: number;
  readonly acrossCount: number;
  /** Measures that are true where a cell is listed. */
  readonly having: readonly { readonly measure: string; readonly text: string }[];
  readonly top?: Top;
  /** The name that was asked for, by the path of a column that stands for it, in lower case. */
  readonly namesOf: ReadonlyMap<string, string>;
}

/** Members of one item that come first by a measure. `per` and `of` are as the plain query has them. */
export interface Top {
  readonly count: number;
  readonly of: string;
  /** Places in `by`. */
  readonly per: readonly number[];
  readonly others: boolean;
  readonly descending: boolean;
}

/** Rewrites a query. Throws QueryError for a part on the spot that is broken or whose name is taken. */
export function plainQuery(named: Named, asked: Query): PlainAsked {
  const made = new Rewriting(named);
  const across = asked.across ?? [];
  const by = [...(asked.by ?? []), ...across].map((item) => made.item(item));
  const measures = asked.measures.map((item) => made.measure(item));
  const having: { measure: string; text: string }[] = [];
  const filters: PlainFilter[] = [];
  let top: TopFilter | undefined;
  for (const filter of asked.filters ?? []) {
    if ('having' in filter) having.push({ measure: made.having(filter.having), text: filter.having });
    else if ('top' in filter) {
      if (top) throw new QueryError('a query has one "top": leave the other out');
      top = filter;
    } else filters.push(filter);
  }
  const {
    asOf,
    by: _by,
    across: _across,
    measures: _measures,
    filters: _filters,
    subtotals: _sub,
    ...rest
  } = asked;
  const plain: PlainQuery = {
    ...rest,
    ...(by.length > 0 ? { by } : {}),
    measures,
    ...(asked.filters ? { filters } : {}),
    ...(asked.sort ? { sort: asked.sort.map((s) => ({ ...s, of: made.sorted(s.of) })) } : {}),
  };
  const byCount = asked.by?.length ?? 0;
  return {
    model: made.model(asOf),
    query: plain,
    byCount,
    acrossCount: across.length,
    having,
    ...(top ? { top: made.top(top, asked.by ?? []) } : {}),
    namesOf: made.namesOf,
  };
}

class Rewriting {
  readonly namesOf = new Map<string, string>();
  private readonly columns = new Map<string, { name: string; type: string; formula: string }[]>();
  private readonly measures: Measure[] = [];

  constructor(private readonly named: Named) {}

  model(asOf: string | undefined): Model {
    const { model } = this.named;
    if (asOf === undefined && this.columns.size === 0 && this.measures.length === 0) return model;
    return {
      ...model,
      ...(asOf === undefined ? {} : { asOf }),
      tables: model.tables.map((t) => {
        const added = this.columns.get(t.name);
        return added ? { ...t, columns: [...t.columns, ...added] } : t;
      }),
      measures: [...(model.measures ?? []), ...this.measures],
    };
  }

  item(item: AskedItem): ByItem {
    if (typeof item === 'string' || !('formula' in item)) return item;
    const table = this.named.checker.names.table(item.of);
    if (!table) throw new QueryError(`the attribute "${item.name}": there is no table "${item.of}"`);
    const added = this.columns.get(table.name) ?? [];
    // The same attribute twice, as in `by` and in the `per` of a top, is one column.
    const known = added.find(
      (c) => c.formula === item.formula && this.namesOf.get(pathOf(table.name, c.name)) === item.name,
    );
    if (known) return columnPath(table.name, known.name);
    const checked = this.named.checker.rowFormula(table, item.formula);
    if (!checked.typed) throw broken(`the attribute "${item.name}"`, checked);
    const type = formatType(checked.typed.type ?? TEXT);
    const name = freeName(item.name, [...table.columns, ...added]);
    this.columns.set(table.name, [...added, { name, type, formula: item.formula }]);
    this.namesOf.set(pathOf(table.name, name), item.name);
    return columnPath(table.name, name);
  }

  measure(item: MeasureItem): string {
    if (typeof item === 'string') return item;
    if ('formula' in item) return this.add(item.name, item.formula);
    const { table, column } = resolvePath(this.named, item.column);
    const declared = this.named.checker.names.column(table, column)!;
    const aggregate = item.aggregate ?? declared.aggregate ?? (declared.use === 'quantity' ? 'sum' : 'none');
    if (aggregate === 'none')
      throw new QueryError(
        `${item.column} has no default aggregate: say which, as in { "column": "${item.column}", "aggregate": "count" }`,
      );
    const path = columnPath(table, column);
    const formula = aggregate === 'distinct' ? `count(distinct ${path})` : `${aggregate}(${path})`;
    return this.add(`${aggregate} ${table}.${column}`, formula);
  }

  private add(name: string, formula: string): string {
    const taken = this.measures.find((m) => sameName(m.name, name));
    if (taken?.formula === formula) return taken.name;
    if (taken || this.named.checker.names.measure(name))
      throw new QueryError(`there is a measure "${name}" already: give the one of the query another name`);
    this.measures.push({ name, formula });
    return name;
  }

  having(text: string): string {
    const checked = this.named.checker.measureFormula(text);
    // What rests on measures of the query itself is checked where it is asked.
    if (checked.typed && checked.typed.type?.kind !== BOOLEAN.kind)
      throw new QueryError(
        `the condition ${text} is ${formatType(checked.typed.type ?? INTEGER)}, not true or false`,
      );
    const name = freeName('having', [...(this.named.model.measures ?? []), ...this.measures]);
    this.measures.push({ name, formula: text });
    return name;
  }

  sorted(of: string | ByItem): string | ByItem {
    if (typeof of !== 'string') return of;
    const path = [...this.namesOf].find(([, name]) => sameName(name, of))?.[0];
    if (path === undefined) return of;
    const [table, column] = path.split('\n') as [string, string];
    return columnPath(table, column);
  }

  top({ top, of, per = [], others = false, order = 'descending' }: TopFilter, by: readonly AskedItem[]): Top {
    if (by.length === 0)
      throw new QueryError('"top" ranks the members of the last item of "by", which has none');
    const places = per.map((item) => {
      const place = by.findIndex(
        (b) => JSON.stringify(b).toLowerCase() === JSON.stringify(item).toLowerCase(),
      );
      if (place < 0)
        throw new QueryError(`"top" is within ${JSON.stringify(item)}, which is no item of "by"`);
      if (place === by.length - 1)
        throw new QueryError('"top" ranks the last item of "by", so that it cannot be within it');
      return place;
    });
    return { count: top, of, per: places, others, descending: order === 'descending' };
  }
}

/** A column in `namesOf`. */
export const pathOf = (table: string, column: string): string => `${table}\n${column}`;

const broken = (what: string, { source, faults, restsOn }: CheckedFormula): QueryError =>
  new QueryError(
    faults.length === 0
      ? `${what} rests on a broken measure: ${restsOn.join(', ')}`
      : faults
          .map((fault) => {
            const { line, column } = placeOf(source, fault.start);
            return `${what}, line ${line}, column ${column}: ${fault.message}`;
          })
          .join('\n'),
  );

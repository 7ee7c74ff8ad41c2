import type { FormulaFault, Token } from '../../formula/index.ts';
import { columnPath, withRoles } from '../../formula/index.ts';
import type { AskedItem, MeasureItem, Model, Query, QueryFilter } from '../../model/index.ts';
import { DocumentError, ModelNames, readQuery, sameName, withFamilies } from '../../model/index.ts';
import { nearestName } from '../../values/index.ts';
import type { ClausePart } from './clauses.ts';
import { clausesOf, conditionsOf, cutAt, isWrapped } from './clauses.ts';
import { memberListOf, nameOf, periodOf } from './condition.ts';
import { ADDED, COLUMN_AGGREGATES } from './words.ts';

export interface ReadSentence {
  /** What could be read; parts with a fault are left out. */
  readonly query: Query;
  /** Spans are offsets in the sentence. */
  readonly faults: readonly FormulaFault[];
}

/**
 * Reads a question that is written in words. Names are found without regard to case, by title too, and a
 * column or level of one table alone goes without it. It never throws: what cannot be read is a fault with
 * its place. Formulas are taken as they are written: the evaluator says what is wrong in them. What words do
 * not hold (the format of a measure on the spot) is taken from `before`.
 */
export function readSentence(source: string, model: Model, before?: Query): ReadSentence {
  return new SentenceReader(source, model, before).read();
}

const isComma = (t: Token) => t.kind === 'symbol' && t.text === ',';
const isWord = (t: Token | undefined, ...words: string[]) => t?.kind === 'name' && words.includes(t.text);

class SentenceReader {
  private readonly faults: FormulaFault[] = [];
  private readonly names: ModelNames;
  private readonly model: Model;
  private readonly query: Query = { measures: [] };
  private readonly filters: QueryFilter[] = [];

  constructor(
    private readonly source: string,
    private readonly asked: Model,
    private readonly before: Query | undefined,
  ) {
    this.model = withRoles(withFamilies(asked)).model;
    this.names = new ModelNames(this.model);
  }

  read(): ReadSentence {
    const { parts, faults } = clausesOf(this.source);
    this.faults.push(...faults);
    for (const part of parts) this.clause(part);
    if (this.filters.length > 0) this.query.filters = this.filters;
    if (this.query.measures.length === 0 && this.faults.length === 0)
      this.fault([], 'name a measure to show', parts[0]);
    return { query: this.checked(), faults: this.faults };
  }

  /** The question as the document's schema wants it: a day that is none, for one, is said by it. */
  private checked(): Query {
    try {
      return readQuery(JSON.stringify(this.query));
    } catch (error) {
      if (!(error instanceof DocumentError)) throw error;
      this.fault([], error.message);
      return { measures: this.query.measures };
    }
  }

  private clause(part: ClausePart): void {
    const { tokens } = part;
    if (tokens.length === 0) {
      this.fault([], `something has to follow ${part.clause}`, part);
      return;
    }
    switch (part.clause) {
      case 'show':
        this.query.measures = this.list(tokens, (t) => this.measure(t));
        return;
      case 'by':
      case 'across':
        this.query[part.clause] = this.list(tokens, (t) => this.item(t));
        return;
      case 'where':
        this.filters.push(...this.conditions(tokens).map((t) => this.condition(t)));
        return;
      case 'having':
        this.filters.push(...this.conditions(tokens).map((t) => ({ having: this.formula(t) })));
        return;
      case 'top': {
        const filter = this.top(tokens);
        if (filter) this.filters.push(filter);
        return;
      }
      case 'sorted':
        this.query.sort = this.list(tokens, (t) => this.sortedBy(t));
        return;
      case 'limit':
        this.whole(tokens, /^\d+$/, 'a limit is a whole number', (text) => (this.query.limit = Number(text)));
        return;
      case 'as of':
        this.whole(tokens, /^'?\d{4}-\d{2}-\d{2}'?$/, 'a day is written like 2026-06-30', (text) => {
          this.query.asOf = text.replaceAll("'", '');
        });
        return;
      case 'with':
        for (const words of cutAt(tokens, isComma)) this.added(words);
    }
  }

  private fault(at: readonly Token[], message: string, part?: ClausePart): undefined {
    const start = at[0]?.start ?? part?.start ?? 0;
    const end = at.at(-1)?.end ?? part?.end ?? this.source.length;
    this.faults.push({ start, end, message });
    return undefined;
  }

  private text(tokens: readonly Token[]): string {
    return tokens.length === 0 ? '' : this.source.slice(tokens[0]!.start, tokens.at(-1)!.end);
  }

  private list<T>(tokens: readonly Token[], read: (tokens: readonly Token[]) => T | undefined): T[] {
    return cutAt(tokens, isComma).flatMap((part) => {
      if (part.length === 0) {
        this.fault([tokens.find(isComma)!], 'something is missing beside this comma');
        return [];
      }
      const item = read(part);
      return item === undefined ? [] : [item];
    });
  }

  private whole(
    tokens: readonly Token[],
    pattern: RegExp,
    otherwise: string,
    set: (text: string) => void,
  ): void {
    const text = this.text(tokens);
    if (pattern.test(text)) set(text);
    else this.fault(tokens, otherwise);
  }

  // measure = name | "(" formula ")" "as" name | [ aggregate ] path

  private measure(tokens: readonly Token[]): MeasureItem | undefined {
    const spot = this.onTheSpot(tokens);
    if (spot) {
      const { formula, rest } = spot;
      const name = isWord(rest[0], 'as') ? nameOf(this.source, rest.slice(1)) : undefined;
      if (name === undefined)
        return this.fault(tokens, 'a measure by a formula needs a name: (formula) as name');
      const known = this.before?.measures.find(
        (m) => typeof m !== 'string' && 'formula' in m && m.name === name,
      );
      return known && typeof known !== 'string' && 'formula' in known
        ? { ...known, formula }
        : { name, formula };
    }
    const name = nameOf(this.source, tokens);
    const measures = this.model.measures ?? [];
    const found =
      name === undefined
        ? undefined
        : (this.names.measure(name) ??
          measures.find((m) => m.title !== undefined && sameName(m.title, name)));
    if (found) return found.name;
    const aggregate = COLUMN_AGGREGATES.find((a) => isWord(tokens[0], a));
    const path = aggregate ? tokens.slice(1) : tokens;
    const column = this.columnOf(path);
    if (column !== undefined) return { column, ...(aggregate ? { aggregate } : {}) };
    const near = nearestName(
      name ?? this.text(tokens),
      measures.map((m) => m.name),
    );
    return this.fault(
      tokens,
      `there is no measure or column ${this.text(path)}${near === undefined ? '' : `: did you mean "${near}"?`}`,
    );
  }

  /** A formula in parentheses, and what follows them. */
  private onTheSpot(tokens: readonly Token[]): { formula: string; rest: readonly Token[] } | undefined {
    if (tokens[0]!.kind !== 'symbol' || tokens[0]!.text !== '(') return undefined;
    const close = tokens.findIndex((_, i) => i > 0 && isWrapped(tokens.slice(0, i + 1)));
    if (close < 0) return undefined;
    return { formula: this.inner(tokens.slice(0, close + 1)), rest: tokens.slice(close + 1) };
  }

  private inner(wrapped: readonly Token[]): string {
    const text = this.source.slice(wrapped[0]!.end, wrapped.at(-1)!.start);
    // A break before the parenthesis ends a comment, and is no part of the formula.
    return text.includes('--') ? text.replace(/\n$/, '') : text;
  }

  // item = "(" formula ")" "of" table "as" name | path [ "level" name | "depth" number ] | name

  private item(tokens: readonly Token[]): AskedItem | undefined {
    const spot = this.onTheSpot(tokens);
    if (spot) {
      const { formula, rest } = spot;
      const as = rest.findIndex((t) => isWord(t, 'as'));
      const of = isWord(rest[0], 'of') && as > 0 ? nameOf(this.source, rest.slice(1, as)) : undefined;
      const name = as < 0 ? undefined : nameOf(this.source, rest.slice(as + 1));
      const table = of === undefined ? undefined : this.names.table(of);
      if (of !== undefined && !table) return this.fault(rest, `there is no table ${of}`);
      if (!table || name === undefined)
        return this.fault(
          tokens,
          'an attribute by a formula needs its table and a name: (formula) of table as name',
        );
      return { name, formula, of: table.name };
    }
    const below = tokens.findIndex((t, i) => i > 0 && isWord(t, 'level', 'depth'));
    if (below > 0) return this.level(tokens, below);
    const dots = tokens.filter((t) => t.kind === 'symbol' && t.text === '.').length;
    if (dots > 0) {
      const column = this.columnOf(tokens);
      if (column !== undefined) return column;
      const dot = tokens.findLastIndex((t) => t.kind === 'symbol' && t.text === '.');
      const last = dots > 1 ? this.hierarchyOf(tokens.slice(0, dot)) : undefined;
      const level = nameOf(this.source, tokens.slice(dot + 1));
      const found = level === undefined ? undefined : last?.levels?.find((l) => sameName(l.name, level));
      if (last && found) return { hierarchy: columnPath(last.table, last.name), level: found.name };
      return this.fault(tokens, this.unknownColumn(tokens));
    }
    return this.named(tokens);
  }

  private level(tokens: readonly Token[], at: number): AskedItem | undefined {
    const hierarchy = this.hierarchyOf(tokens.slice(0, at));
    if (!hierarchy) return this.fault(tokens, `there is no hierarchy ${this.text(tokens.slice(0, at))}`);
    const path = columnPath(hierarchy.table, hierarchy.name);
    const rest = tokens.slice(at + 1);
    if (isWord(tokens[at], 'depth')) {
      const depth = Number(this.text(rest));
      return Number.isInteger(depth) && depth > 0
        ? { hierarchy: path, depth }
        : this.fault(tokens, 'a depth is a number from 1');
    }
    const name = nameOf(this.source, rest) ?? '';
    const level = hierarchy.levels?.find((l) => sameName(l.name, name));
    return level
      ? { hierarchy: path, level: level.name }
      : this.fault(
          tokens,
          `${path} has no level ${name}: ${(hierarchy.levels ?? []).map((l) => l.name).join(', ')}`,
        );
  }

  private hierarchyOf(tokens: readonly Token[]) {
    const path = this.path(tokens);
    return (
      path &&
      (this.model.hierarchies ?? []).find((h) => sameName(h.table, path[0]) && sameName(h.name, path[1]))
    );
  }

  /** The two names of a path; undefined where the tokens are none. */
  private path(tokens: readonly Token[]): readonly [string, string] | undefined {
    const dot = tokens.findIndex((t) => t.kind === 'symbol');
    if (dot < 1 || tokens[dot]!.text !== '.') return undefined;
    const first = nameOf(this.source, tokens.slice(0, dot));
    const second = nameOf(this.source, tokens.slice(dot + 1));
    return first === undefined || second === undefined ? undefined : [first, second];
  }

  private columnOf(tokens: readonly Token[]): string | undefined {
    const path = this.path(tokens);
    const table = path && this.names.table(path[0]);
    const column = table && this.names.column(table, path[1]);
    return table && column ? columnPath(table.name, column.name) : undefined;
  }

  private unknownColumn(tokens: readonly Token[]): string {
    const path = this.path(tokens);
    const table = path && this.names.table(path[0]);
    if (!path) return `${this.text(tokens)} is no attribute: write table.column, or hierarchy level name`;
    const near = nearestName(
      table ? path[1] : path[0],
      (table ? table.columns : this.model.tables).map((t) => t.name),
    );
    const hint = near === undefined ? '' : `: did you mean ${table ? `${table.name}.${near}` : near}?`;
    return table ? `${table.name} has no column ${path[1]}${hint}` : `there is no table ${path[0]}${hint}`;
  }

  /** A column or level by its name or title alone, where it is the only one of its name. */
  private named(tokens: readonly Token[]): AskedItem | undefined {
    const name = nameOf(this.source, tokens);
    if (name === undefined) return this.fault(tokens, `${this.text(tokens)} is no attribute`);
    const fits = (x: { name: string; title?: string | undefined }) =>
      sameName(x.name, name) || (x.title !== undefined && sameName(x.title, name));
    // What stands under its own name comes before the roles that repeat it.
    const isOwn = (table: string) => this.asked.tables.some((t) => sameName(t.name, table));
    const columns = this.model.tables
      .filter((t) => t.role !== 'staging' && isOwn(t.name))
      .flatMap((t) =>
        t.columns.filter((c) => c.use !== 'quantity' && fits(c)).map((c) => columnPath(t.name, c.name)),
      );
    const levels = (this.asked.hierarchies ?? []).flatMap((h) =>
      (h.levels ?? []).filter(fits).map((l) => ({ hierarchy: columnPath(h.table, h.name), level: l.name })),
    );
    const found: AskedItem[] = columns.length > 0 ? columns : levels;
    if (found.length === 1) return found[0];
    if (found.length > 1)
      return this.fault(
        tokens,
        `there are several of the name ${name}: ${found
          .slice(0, 4)
          .map((f) => (typeof f === 'string' ? f : 'hierarchy' in f ? f.hierarchy : f.name))
          .join(', ')}`,
      );
    const near = nearestName(
      name,
      this.model.tables.flatMap((t) => t.columns.map((c) => c.name)),
    );
    return this.fault(
      tokens,
      `there is no attribute ${name}${near === undefined ? '' : `: did you mean ${near}?`}`,
    );
  }

  private conditions(tokens: readonly Token[]): Token[][] {
    return conditionsOf(tokens).filter((part) => {
      if (part.length === 0) this.fault(tokens, 'a condition is missing beside "and"');
      return part.length > 0;
    });
  }

  private formula(tokens: readonly Token[]): string {
    return isWrapped(tokens) ? this.inner(tokens) : this.text(tokens);
  }

  private condition(tokens: readonly Token[]): QueryFilter {
    const period = periodOf(this.text(tokens));
    if (period) return period;
    const list = memberListOf(this.source, tokens);
    const table = list && this.names.table(list.column[0]);
    const column = table && this.names.column(table, list.column[1]);
    if (list && table && column) return { column: columnPath(table.name, column.name), in: list.members };
    return { where: this.formula(tokens) };
  }

  // top = number "by" measure [ "per" items ] [ ( "smallest" | "largest" ) "first" ]
  //       [ "and" [ "all" ] "others" ]

  private top(tokens: readonly Token[]): QueryFilter | undefined {
    const rest = [...tokens];
    const number = Number(rest.shift()!.text);
    if (!Number.isInteger(number) || number < 1) return this.fault(tokens, 'top takes a whole number from 1');
    const others = isWord(rest.at(-1), 'others');
    if (others) {
      rest.pop();
      if (isWord(rest.at(-1), 'all')) rest.pop();
      if (isWord(rest.at(-1), 'and')) rest.pop();
    }
    let order: 'ascending' | 'descending' | undefined;
    if (isWord(rest.at(-1), 'first') && isWord(rest.at(-2), 'smallest', 'largest')) {
      order = rest.at(-2)!.text === 'smallest' ? 'ascending' : 'descending';
      rest.splice(-2);
    }
    if (!isWord(rest[0], 'by')) return this.fault(tokens, 'write top 10 by a measure');
    const per = rest.findIndex((t) => isWord(t, 'per'));
    const of = rest.slice(1, per < 0 ? undefined : per);
    const name = nameOf(this.source, of);
    const measure = name === undefined ? undefined : this.shownMeasure(name);
    if (measure === undefined)
      return this.fault(
        of.length > 0 ? of : tokens,
        'top goes by a measure that is shown or that the model has',
      );
    return {
      top: number,
      of: measure,
      ...(per < 0 ? {} : { per: this.list(rest.slice(per + 1), (t) => this.item(t)) }),
      ...(others ? { others: true } : {}),
      ...(order ? { order } : {}),
    };
  }

  /** A measure by its name: of the model, or of the question. */
  private shownMeasure(name: string): string | undefined {
    const own = this.query.measures
      .map((m) => {
        if (typeof m === 'string') return m;
        return 'formula' in m ? m.name : `${m.aggregate ?? ''} ${m.column}`.trim();
      })
      .find((m) => sameName(m, name));
    return own ?? this.names.measure(name)?.name;
  }

  private sortedBy(tokens: readonly Token[]): NonNullable<Query['sort']>[number] | undefined {
    const last = tokens.at(-1);
    const order = isWord(last, 'descending', 'desc')
      ? ('descending' as const)
      : isWord(last, 'ascending', 'asc')
        ? ('ascending' as const)
        : undefined;
    const what = order ? tokens.slice(0, -1) : tokens;
    if (what.length === 0) return this.fault(tokens, 'name what to sort by');
    const name = nameOf(this.source, what);
    const own = [...(this.query.by ?? []), ...(this.query.across ?? [])].find(
      (item) =>
        typeof item !== 'string' && 'formula' in item && name !== undefined && sameName(item.name, name),
    );
    const measure = name === undefined ? undefined : this.shownMeasure(name);
    const of =
      measure ??
      (own && typeof own !== 'string' && 'formula' in own ? own.name : undefined) ??
      this.sortItem(what);
    return of === undefined ? undefined : { of, ...(order ? { order } : {}) };
  }

  private sortItem(tokens: readonly Token[]): Exclude<AskedItem, { formula: string }> | undefined {
    const aggregate = COLUMN_AGGREGATES.find((a) => isWord(tokens[0], a));
    const column = aggregate ? this.columnOf(tokens.slice(1)) : undefined;
    if (column !== undefined) return `${aggregate} ${column}`;
    const item = this.item(tokens);
    return typeof item === 'string' || (item && !('formula' in item)) ? item : undefined;
  }

  private added(tokens: readonly Token[]): void {
    const words = tokens.map((t) => t.text).join(' ');
    if (Object.hasOwn(ADDED, words)) Object.assign(this.query, ADDED[words as keyof typeof ADDED]);
    else this.fault(tokens, `with takes ${Object.keys(ADDED).join(', ')}`);
  }
}

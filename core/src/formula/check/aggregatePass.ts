import { cardinalityOf, sameName } from '../../model/index.ts';
import type { Table } from '../../model/index.ts';
import { INTEGER, nearestName } from '../../values/index.ts';
import type { DataType } from '../../values/index.ts';
import type { Span } from '../source.ts';
import { aggregateNamed } from '../aggregates/index.ts';
import type { AggregateCall, AggregateName, Expression } from '../tree.ts';
import { columnsOf } from '../typed.ts';
import type { ColumnName, Typed } from '../typed.ts';
import type { Place } from './place.ts';
import { ScalarPass } from './scalarPass.ts';

/** Aggregates: their base table, their type, and what they may name. */
export abstract class AggregatePass extends ScalarPass {
  protected aggregate(node: AggregateCall, place: Place): Typed | undefined {
    const name = node.name.text.toLowerCase() as AggregateName;
    if (place.rows && !place.aggregates) {
      this.aggregateParts(node);
      return this.fault(node, `an aggregate has no place in a condition: ${this.text(node)}`);
    }
    if (node.per)
      return place.rows
        ? this.fault(node, 'per belongs to measures, not to row formulas')
        : this.per(node, name);
    const parts = this.aggregateParts(node);
    if (!parts) return undefined;
    const base = this.baseTable(node, parts);
    if (!base) return undefined;
    if (parts.filter) {
      this.checkConditionReaches(parts.filter, [base.name.toLowerCase()], node.filter!);
      // Over a bridge a condition is judged on the rows that are met, which only a measure's context has.
      if (place.rows)
        for (const { table } of columnsOf(parts.filter)) this.checkLookup(base.name, table, node.filter!);
    }
    const type = this.aggregateType(node, name, parts.arg);
    if (!type) return undefined;
    const owner = place.rows ? place.own!.name : undefined;
    if (owner !== undefined && !this.refersTo(base.name, owner, node)) return undefined;
    return {
      kind: 'aggregate',
      aggregate: name,
      distinct: node.distinct,
      base: base.name,
      type,
      span: { start: node.start, end: node.end },
      ...(parts.arg ? { arg: parts.arg } : {}),
      ...(parts.by ? { by: parts.by } : {}),
      ...(parts.filter ? { filter: parts.filter } : {}),
      ...(owner !== undefined ? { owner } : {}),
    };
  }

  /** Argument, `by` and `filter` of an aggregate, checked as row formulas over no particular table yet. */
  protected aggregateParts(
    node: AggregateCall,
  ): { arg?: Typed; by?: Typed; filter?: Typed; rowsOf?: Table } | undefined {
    const rows: Place = { rows: true, aggregates: false };
    const name = node.name.text.toLowerCase();
    const filter = node.filter ? this.truth(node.filter, rows) : undefined;
    if (
      name === 'count' &&
      !node.distinct &&
      node.arg.kind === 'name' &&
      node.arg.parts.length === 1 &&
      node.arg.parts[0]!.text !== ''
    ) {
      const table = this.names.table(node.arg.parts[0]!.text);
      if (table) return node.filter && !filter ? undefined : { rowsOf: table, ...(filter ? { filter } : {}) };
      const near = nearestName(
        node.arg.parts[0]!.text,
        this.names.model.tables.map((t) => t.name),
      );
      return this.fault(
        node.arg,
        `no table "${node.arg.parts[0]!.text}"${near ? `: did you mean "${near}"?` : ''}; count takes a table or a column`,
      );
    }
    const arg = this.expression(node.arg, rows);
    const by = node.by ? this.expression(node.by, rows) : undefined;
    if (!arg || (node.by && !by) || (node.filter && !filter)) return undefined;
    const needsBy = name === 'latest' || name === 'earliest';
    if (needsBy !== Boolean(node.by))
      return this.fault(
        node,
        needsBy ? `${name} needs a by: ${name}(x by y)` : `by belongs to latest and earliest, not to ${name}`,
      );
    return { arg, ...(by ? { by } : {}), ...(filter ? { filter } : {}) };
  }

  protected baseTable(
    node: AggregateCall,
    parts: { arg?: Typed; by?: Typed; rowsOf?: Table },
  ): Table | undefined {
    const named = parts.rowsOf
      ? [parts.rowsOf.name]
      : [
          ...new Set(
            [parts.arg, parts.by].flatMap((part) => (part ? columnsOf(part).map((c) => c.table) : [])),
          ),
        ];
    if (node.from) {
      const from = this.names.table(node.from.text);
      if (!from) {
        const near = nearestName(
          node.from.text,
          this.names.model.tables.map((t) => t.name),
        );
        return this.fault(
          node.from,
          `no table "${node.from.text}"${near ? `: did you mean "${near}"?` : ''}`,
        );
      }
      if (!named.every((table) => this.checkLookup(from.name, table, node))) return undefined;
      this.checkLevels(from.name, parts, node);
      return from;
    }
    if (named.length === 0)
      return this.fault(
        node.arg,
        `${node.name.text} needs a column in its argument, or from and a table after it`,
      );
    const lookups = (base: string, table: string) =>
      this.checker.reach.lookup(base, table, this.via) !== undefined;
    const base = named.find((candidate) => named.every((table) => lookups(candidate, table)));
    if (base === undefined) {
      for (const a of named)
        for (const b of named)
          if (a !== b && this.checker.reach.route(a, b, this.via)?.kind === 'ambiguous')
            return void this.checkLookup(a, b, node);
      return this.fault(
        node,
        `${named.slice(0, -1).join(', ')} and ${named.at(-1)} are not connected: use two measures`,
      );
    }
    this.checkLevels(base, parts, node);
    return this.names.table(base);
  }

  /** Columns beyond a level must have one value within it. */
  protected checkLevels(base: string, parts: { arg?: Typed; by?: Typed }, span: Span): void {
    for (const part of [parts.arg, parts.by]) {
      if (!part) continue;
      for (const column of columnsOf(part)) {
        const problem = this.columnProblem(base, column);
        if (problem) this.fault(span, problem);
      }
    }
  }

  protected refersTo(base: string, owner: string, span: Span): boolean {
    if (sameName(base, owner)) return true;
    const route = this.checker.reach.route(base, owner);
    if (route?.kind === 'lookup' && !route.path.some((r) => cardinalityOf(r) === 'many-to-level'))
      return true;
    this.fault(
      span,
      route?.kind === 'ambiguous'
        ? `${base} refers to ${owner} over two default paths`
        : `${base} does not refer to ${owner}: an aggregate in a row formula counts rows that refer to the row`,
    );
    return false;
  }

  protected aggregateType(
    node: AggregateCall,
    name: AggregateName,
    arg: Typed | undefined,
  ): DataType | undefined {
    if (node.distinct && name !== 'count')
      return this.fault(node, `distinct belongs to count: ${name}(distinct …) is not known`);
    if (name === 'count' || !arg)
      return name === 'count' ? INTEGER : this.fault(node, `${name} needs a column, not a table`);
    return this.resultType(name, node.arg, arg);
  }

  protected resultType(name: AggregateName, argNode: Expression, arg: Typed): DataType | undefined {
    const type = aggregateNamed(name)!.result(arg.type);
    return type ?? this.fault(argNode, `${name} needs a number, ${this.describe(argNode, arg)}`);
  }

  /** agg(M per columns) */
  protected per(node: AggregateCall, name: AggregateName): Typed | undefined {
    if (node.from || node.filter || node.by || node.distinct)
      this.fault(node, 'an aggregate with per takes no distinct, by, from or filter');
    const arg = this.expression(node.arg, { rows: false });
    const columns = node.per!.map((target) => this.targetColumn(target));
    if (!arg || columns.some((c) => !c)) return undefined;
    for (const base of this.checker.basesOf(arg)) {
      for (const [i, column] of (columns as ColumnName[]).entries())
        this.checkReaches(base, column, node.per![i]!, this.via);
    }
    const type = this.resultType(name, node.arg, arg);
    return (
      type && {
        kind: 'per',
        aggregate: name,
        arg,
        columns: columns as ColumnName[],
        type,
        span: { start: node.start, end: node.end },
      }
    );
  }
}

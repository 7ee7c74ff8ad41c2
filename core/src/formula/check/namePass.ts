import { sameName } from '../../model/index.ts';
import type { Table } from '../../model/index.ts';
import { TEXT, nearestName, parseType } from '../../values/index.ts';
import type { Span } from '../source.ts';
import type { Name, Target } from '../tree.ts';
import { columnsOf } from '../typed.ts';
import type { ColumnName, Typed, TypedTarget } from '../typed.ts';
import { levelProblem } from './levelProblem.ts';
import { PassBase } from './passBase.ts';
import { pathText } from './pathText.ts';
import type { Place } from './place.ts';

/** A step under its name; a constant stays one, for functions that need to know it. */
const stepNode = (name: string, typed: Typed, { start, end }: Span): Typed =>
  typed.kind === 'constant'
    ? typed
    : { kind: 'step', name, operand: typed, type: typed.type, span: { start, end } };

/** Names of a formula: measures, columns, targets, and whether they are looked up from or reach a table. */
export abstract class NamePass extends PassBase {
  protected name(parts: readonly Name[], span: Span, place: Place): Typed | undefined {
    if (parts.length === 2) return this.columnName(parts[0]!, parts[1]!, span, place);
    const name = parts[0]!;
    if (name.text === '') return undefined;
    if (place.rows) return this.bareColumn(name, place);
    const step = this.steps.findLast((s) => sameName(s.name, name.text));
    if (step) return step.typed && stepNode(step.name, step.typed, name);
    return this.measureName(name);
  }

  protected measureName(name: Name): Typed | undefined {
    const measure = this.names.measure(name.text);
    if (!measure) {
      if (this.names.table(name.text))
        return this.fault(name, `${name.text} is a table: count(${name.text}) counts its rows`);
      const near = nearestName(name.text, [
        ...(this.names.model.measures ?? []).map((m) => m.name),
        ...this.steps.map((s) => s.name),
      ]);
      return this.fault(name, `no measure "${name.text}"${near ? `: did you mean "${near}"?` : ''}`);
    }
    this.usedMeasures.add(measure.name);
    const circle = this.checker.circle(measure.name);
    if (circle) return this.fault(name, `the measures use each other in a circle: ${circle.join(' → ')}`);
    const checked = this.checker.measure(measure.name)!;
    if (!checked.typed) {
      // In a circle, each measure on it is at fault; one that only uses a broken measure rests on it.
      this.restsOn.add(measure.name);
      return undefined;
    }
    return { kind: 'measure', name: measure.name, type: checked.typed.type, span: name };
  }

  protected bareColumn(name: Name, place: Extract<Place, { rows: true }>): Typed | undefined {
    if (place.own) {
      const column = this.names.column(place.own, name.text);
      if (column) return this.columnNode(place.own, column.name, name);
    }
    if (this.names.measure(name.text))
      return this.fault(
        name,
        `"${name.text}" is a measure: a ${place.own ? 'row formula' : 'condition'} speaks of columns only`,
      );
    if (this.names.table(name.text))
      return this.fault(name, `${name.text} is a table: write ${name.text}.column`);
    const near = nearestName(name.text, place.own?.columns.map((c) => c.name) ?? []);
    return this.fault(
      name,
      `no column "${name.text}"${near ? `: did you mean "${near}"?` : place.own ? ` in ${place.own.name}` : ': write table.column'}`,
    );
  }

  protected columnName(tableName: Name, columnName: Name, span: Span, place: Place): Typed | undefined {
    const found = this.resolveColumn(tableName, columnName, span);
    if (!found) return undefined;
    if (!place.rows) {
      const path = `${found.table.name}.${found.column}`;
      return this.fault(
        span,
        `${path} is outside of an aggregate: write for example sum(${path}) or only(${path})`,
      );
    }
    if (place.own && !sameName(place.own.name, found.table.name))
      this.checkLookup(place.own.name, found.table.name, span);
    return this.columnNode(found.table, found.column, span);
  }

  protected resolveColumn(
    tableName: Name,
    columnName: Name,
    span: Span,
  ): { table: Table; column: string } | undefined {
    const table = this.names.table(tableName.text);
    if (!table) {
      const near = nearestName(
        tableName.text,
        this.names.model.tables.map((t) => t.name),
      );
      return this.fault(span, `no table "${tableName.text}"${near ? `: did you mean "${near}"?` : ''}`);
    }
    const column = this.names.column(table, columnName.text);
    if (column) return { table, column: column.name };
    const near = nearestName(
      columnName.text,
      table.columns.map((c) => c.name),
    );
    return this.fault(
      span,
      `no column "${tableName.text}.${columnName.text}"${near ? `: did you mean "${table.name}.${near}"?` : ''}`,
    );
  }

  protected columnNode(table: Table, column: string, span: Span): Typed {
    this.usedColumns.set(`${table.name}.${column}`.toLowerCase(), { table: table.name, column });
    const declared = this.names.column(table, column)!.type;
    return {
      kind: 'column',
      table: table.name,
      column,
      type: parseType(declared) ?? TEXT,
      span: { start: span.start, end: span.end },
    };
  }

  /** Whether `table` is looked up from `base`; says why not. */
  protected checkLookup(base: string, table: string, span: Span): boolean {
    const route = this.checker.reach.route(base, table, this.via);
    if (route?.kind === 'lookup') return true;
    if (route?.kind === 'ambiguous') {
      this.fault(
        span,
        `${base} leads to ${table} over two default paths (${route.paths.map(pathText).join('; ')}): mark one as not default, or name one with via`,
      );
    } else this.fault(span, `${base} and ${table} are not connected: ${table} is not looked up from ${base}`);
    return false;
  }

  protected checkReaches(base: string, column: ColumnName, span: Span, via: readonly string[]): boolean {
    const baseName = this.names.table(base)?.name ?? base;
    const route = this.checker.reach.route(base, column.table, via);
    if (!route || route.kind === 'ambiguous') {
      this.fault(
        span,
        route
          ? `${column.table} reaches ${baseName} over two default paths (${route.paths.map(pathText).join('; ')})`
          : `${column.table}.${column.column} does not reach ${baseName}: no relationship leads from ${baseName} to ${column.table}`,
      );
      return false;
    }
    const problem = this.columnProblem(base, column, via);
    if (problem) this.fault(span, problem);
    return !problem;
  }

  /** Why a column beyond a level does not reach the base table, if it does not. */
  protected columnProblem(
    base: string,
    column: ColumnName,
    via: readonly string[] = this.via,
  ): string | undefined {
    return levelProblem(this.checker, base, column, via)
      ? `${column.table}.${column.column} does not reach ${this.names.table(base)?.name ?? base}: it is finer than the level that ${base} refers to`
      : undefined;
  }

  protected checkConditionReaches(condition: Typed, bases: readonly string[], span: Span): void {
    for (const base of bases)
      for (const column of columnsOf(condition)) if (!this.checkReaches(base, column, span, this.via)) return;
  }

  protected typedTargets(targets: readonly Target[]): TypedTarget[] {
    return targets.flatMap((target): TypedTarget[] => {
      if (target.table.text === '') return [];
      if (target.column) {
        const found = this.targetColumn(target);
        return found ? [found] : [];
      }
      const table = this.names.table(target.table.text);
      if (table) return [{ table: table.name }];
      const near = nearestName(
        target.table.text,
        this.names.model.tables.map((t) => t.name),
      );
      this.fault(target, `no table "${target.table.text}"${near ? `: did you mean "${near}"?` : ''}`);
      return [];
    });
  }

  protected targetColumn(target: Target): ColumnName | undefined {
    if (!target.column)
      return target.table.text === ''
        ? undefined
        : this.fault(target, `a column is needed here: write ${target.table.text}.column`);
    if (target.column.text === '' || target.table.text === '') return undefined;
    const found = this.resolveColumn(target.table, target.column, target);
    if (!found) return undefined;
    this.usedColumns.set(`${found.table.name}.${found.column}`.toLowerCase(), {
      table: found.table.name,
      column: found.column,
    });
    return { table: found.table.name, column: found.column };
  }

  /** `per t` stands for the key of t. */
  protected perColumns(target: Target): ColumnName[] {
    if (target.column) {
      const column = this.targetColumn(target);
      return column ? [column] : [];
    }
    const table = this.names.table(target.table.text);
    if (table?.key?.length) return table.key.map((column) => ({ table: table.name, column }));
    this.fault(
      target,
      table ? `${table.name} has no key: name a column after per` : `no table "${target.table.text}"`,
    );
    return [];
  }

  /** The relationship of a measure counts as if `via` named it around the whole formula. */
  protected goBy(relationship: string): void {
    const found = this.names.relationship(relationship);
    if (found) {
      this.via = [found.name.toLowerCase()];
      return;
    }
    const near = nearestName(
      relationship,
      (this.names.model.relationships ?? []).map((r) => r.name),
    );
    this.fault(
      { start: 0, end: 0 },
      `the measure goes by "${relationship}", and there is no such relationship${near ? `: did you mean "${near}"?` : ''}`,
    );
  }

  /** The relationship that a measure goes by starts from rows of its formula, or from what these look up. */
  protected checkGoesBy(relationship: string, typed: Typed): void {
    const found = this.names.relationship(relationship);
    const bases = [...this.checker.basesOf(typed)];
    const isOnTheWay = (base: string) =>
      [...this.checker.reach.lookups(base, this.via).values()].some((paths) =>
        paths.some((path) => path.includes(found!)),
      );
    if (!found || bases.length === 0 || bases.some(isOnTheWay)) return;
    const tables = bases.map((base) => this.names.table(base)?.name ?? base);
    this.fault(
      { start: 0, end: 0 },
      `the measure goes by ${found.name}, and no way from ${tables.join(' or ')} leads over it`,
    );
  }

  protected relationships(list: readonly Name[]): string[] {
    return list.flatMap((name) => {
      const relationship = this.names.relationship(name.text);
      if (relationship) return [relationship.name.toLowerCase()];
      const near = nearestName(
        name.text,
        (this.names.model.relationships ?? []).map((r) => r.name),
      );
      this.fault(name, `no relationship "${name.text}"${near ? `: did you mean "${near}"?` : ''}`);
      return [];
    });
  }
}

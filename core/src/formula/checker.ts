import { ModelNames, sameName } from '../model/index.ts';
import type { Model, Table } from '../model/index.ts';
import { Reach } from '../relate/index.ts';
import { BOOLEAN } from '../values/index.ts';
import type { DataType } from '../values/index.ts';
import { Pass } from './check/pass.ts';
import type { ModelFacts } from './check/modelFacts.ts';
import type { Scope } from './check/place.ts';
import type { CheckedFormula, DataOracle } from './checked.ts';
import { parseFormula } from './parser.ts';
import { walkTyped } from './typed.ts';
import type { Typed } from './typed.ts';

/**
 * Checks the formulas of one model: names, types, base tables, reach. Results are kept, so each formula is
 * checked once. Faults are values; only a bug throws.
 */
export class FormulaChecker implements ModelFacts {
  readonly names: ModelNames;
  readonly reach: Reach;
  private readonly measures = new Map<string, CheckedFormula>();
  private readonly open: string[] = [];
  private readonly bases = new Map<string, ReadonlySet<string>>();

  constructor(
    readonly model: Model,
    readonly oracle?: DataOracle,
    /** For tables that are roles of others, the table whose rows they have. */
    rowsOf?: ReadonlyMap<string, string>,
  ) {
    this.names = new ModelNames(model, rowsOf);
    this.reach = new Reach(this.names);
  }

  /** The measure of that name, checked; undefined where there is none. */
  measure(name: string): CheckedFormula | undefined {
    const measure = this.names.measure(name);
    if (!measure) return undefined;
    const key = measure.name.toLowerCase();
    let checked = this.measures.get(key);
    if (!checked) {
      this.open.push(measure.name);
      checked = this.check(measure.formula, {
        kind: 'measure',
        ...(measure.via === undefined ? {} : { via: measure.via }),
      });
      this.open.pop();
      this.measures.set(key, checked);
    }
    return checked;
  }

  /**
   * Any measure formula, such as one being typed; `name` is the measure that it would become, `via` the
   * relationship that this goes by.
   */
  measureFormula(source: string, name?: string, via?: string): CheckedFormula {
    this.open.push(name ?? '');
    const checked = this.check(source, { kind: 'measure', ...(via === undefined ? {} : { via }) });
    this.open.pop();
    return checked;
  }

  /** A row formula of a derived column, converted to the column's type. */
  column(table: Table, column: string, formula: string, type: DataType): CheckedFormula {
    return this.check(formula, { kind: 'row', table, own: column }, type);
  }

  /** A row formula of a table, of whatever type it gives: for shaping steps. */
  rowFormula(table: Table, formula: string): CheckedFormula {
    return this.check(formula, { kind: 'row', table, own: '' });
  }

  /** A condition over columns of any tables, such as a trial's filter. */
  condition(source: string): CheckedFormula {
    return this.check(source, { kind: 'condition' }, BOOLEAN);
  }

  /** Names of open measures from the one that is met again on: a circle, or nothing. */
  circle(name: string): string[] | undefined {
    const at = this.open.findIndex((other) => sameName(other, name));
    return at < 0 ? undefined : [...this.open.slice(at), name];
  }

  /** Base tables (lower case) of all aggregates of a measure, through the measures it uses. */
  basesOf(node: Typed): ReadonlySet<string> {
    const bases = new Set<string>();
    walkTyped(node, (n) => {
      if (n.kind === 'aggregate') bases.add(n.base.toLowerCase());
      if (n.kind === 'measure') for (const base of this.basesOfMeasure(n.name)) bases.add(base);
    });
    return bases;
  }

  private basesOfMeasure(name: string): ReadonlySet<string> {
    const key = name.toLowerCase();
    let bases = this.bases.get(key);
    if (!bases) {
      const typed = this.measure(name)?.typed;
      bases = typed ? this.basesOf(typed) : new Set<string>();
      this.bases.set(key, bases);
    }
    return bases;
  }

  private check(source: string, scope: Scope, wanted?: DataType): CheckedFormula {
    const parsed = parseFormula(source);
    const pass = new Pass(this, source, scope, [...parsed.faults]);
    const typed = pass.top(parsed.tree, wanted);
    const sound = pass.faults.length === 0 && pass.restsOn.size === 0;
    return {
      source,
      ...(sound && typed ? { typed } : {}),
      faults: [...pass.faults].sort((a, b) => a.start - b.start),
      restsOn: [...pass.restsOn],
      measures: [...pass.usedMeasures],
      columns: [...pass.usedColumns.values()],
    };
  }
}

import { createHash } from 'node:crypto';
import { FormulaChecker } from '@crease/core/formula';
import type { Hierarchy, Model, Relationship, Table } from '@crease/core/model';
import { splitPath } from '@crease/core/model';
import type { KeptFigures } from '@crease/core/storage';
import { digestOf } from '../judging/dependencies.ts';
import type { ModelVersion } from '../store/index.ts';
import { Figures } from '../store/index.ts';
import { connection } from './modelRows.ts';

/** Of the figures: one where what is measured changes. */
const FIGURES_VERSION = 1;

const digest = (parts: unknown): string =>
  createHash('sha256').update(JSON.stringify(parts)).digest('base64url');

/** Figures of a model that are known by what they rest on; what is made anew is kept when it is `saved`. */
export class FiguresOfModel implements KeptFigures {
  private readonly known: Map<string, unknown>;
  private readonly made = new Map<string, unknown>();
  private readonly used = new Set<string>();
  private readonly bases;
  private readonly figures: Figures;

  constructor(
    private readonly model: Model,
    private readonly version: ModelVersion,
  ) {
    this.figures = new Figures(connection(version.workspace));
    this.known = this.figures.all(version.modelId);
    this.bases = digestOf(version.workspace, model, version, new FormulaChecker(model));
  }

  rows: KeptFigures['rows'] = (table, make) => this.figure(['rows', this.bases.table(table)], make);

  column: KeptFigures['column'] = (table, column, make) =>
    this.figure(['column', this.bases.column(table, column)], make);

  given: KeptFigures['given'] = (table, make) =>
    this.figure(['given', this.columnsOf(table)], () => make().map((g) => g ?? null)).map(
      (g) => g ?? undefined,
    );

  relationship: KeptFigures['relationship'] = (r, make) =>
    this.figure(['relationship', r.name, this.endsOf(r)], () => make() ?? null) ?? undefined;

  hierarchy: KeptFigures['hierarchy'] = (h, make) => this.figure(['hierarchy', h, this.levelsOf(h)], make);

  /** A figure of a column beside its weight. */
  ofColumn<T>(what: string, table: string, column: string, make: () => T): T {
    return this.figure([what, this.bases.column(table, column)], make);
  }

  /** A figure that rests on all columns of all tables, what uses them, and what else is named. */
  ofModel<T>(what: string, rests: unknown, make: () => T): T {
    const tables = this.model.tables.map((t) => [t.name, t.role, t.key, t.columns, this.columnsOf(t)]);
    return this.figure([what, tables, this.model.relationships, rests], make);
  }

  /**
   * Keeps what was made. `isWhole`: the figures of all columns were asked for, so that the others rest on
   * what was before, and go once there are many.
   */
  save(isWhole = false): void {
    if (this.made.size === 0) return;
    this.figures.keep(this.version.modelId, this.made, isWhole ? this.used : undefined);
  }

  private figure<T>(rests: readonly unknown[], make: () => T): T {
    const basis = digest([FIGURES_VERSION, ...rests]);
    this.used.add(basis);
    if (this.known.has(basis)) return this.known.get(basis) as T;
    const figure = make();
    this.known.set(basis, figure);
    this.made.set(basis, figure);
    return figure;
  }

  private columnsOf(table: Table): unknown {
    return table.columns.map((c) => [c.name, this.bases.column(table.name, c.name)]);
  }

  private endsOf(r: Relationship): unknown {
    return [r.from, r.to].map((end) => [
      this.bases.table(end.table),
      end.columns.map((c) => this.bases.column(end.table, c)),
    ]);
  }

  private levelsOf(h: Hierarchy): unknown {
    const own = [h.key, h.parent, h.label].flatMap((c) => (c === undefined ? [] : [c]));
    const levels = (h.levels ?? []).map((level) => {
      const [table, column] = splitPath(level.column) ?? [h.table, level.column];
      return [this.bases.column(table, column), this.bases.way(h.table, table)];
    });
    return [this.bases.table(h.table), own.map((c) => this.bases.column(h.table, c)), levels];
  }
}

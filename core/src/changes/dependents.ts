import type { FormulaChecker } from '../formula/index.ts';
import { columnPath } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import type { ModelChange } from './diff.ts';

/** An object of a model, as a comparison names it. */
type Named = Pick<ModelChange, 'kind' | 'name'>;

const nameOf = ({ kind, name }: Named): string => `${kind} ${name}`.toLowerCase();

/**
 * What depends on each object of a model: measures and derived columns by their checked
 * formulas, directly or through others; hierarchies, relationships, kept trials, known answers, listings and
 * perspectives by what they name.
 */
export class Dependents {
  /** By the name of an object, what names it. */
  private readonly uses = new Map<string, Named[]>();

  constructor(
    private readonly model: Model,
    private readonly checker: FormulaChecker,
  ) {
    this.addMeasures();
    this.addDerived();
    this.addRelationships();
    this.addHierarchies();
    this.addNamed();
  }

  /** All that depends on an object, in words such as `measure Loans`; each once, what is near first. */
  of(object: Named): string[] {
    const found = new Map<string, Named>();
    const wave = [object];
    for (let at = wave.shift(); at; at = wave.shift())
      for (const user of this.uses.get(nameOf(at)) ?? []) {
        if (found.has(nameOf(user)) || nameOf(user) === nameOf(object)) continue;
        found.set(nameOf(user), user);
        // What shows something does not pass its changes on.
        if (user.kind === 'measure' || user.kind === 'column') wave.push(user);
      }
    return [...found.values()].map(({ kind, name }) => `${kind} ${name}`);
  }

  private add(used: Named, user: Named): void {
    const known = this.uses.get(nameOf(used)) ?? [];
    known.push(user);
    this.uses.set(nameOf(used), known);
  }

  private addColumn(table: string, column: string, user: Named): void {
    this.add({ kind: 'column', name: columnPath(table, column) }, user);
    this.add({ kind: 'table', name: table }, user);
  }

  private addMeasures(): void {
    for (const { name, goal, via } of this.model.measures ?? []) {
      const user: Named = { kind: 'measure', name };
      const checked = this.checker.measure(name);
      for (const below of checked?.measures ?? []) this.add({ kind: 'measure', name: below }, user);
      for (const { table, column } of checked?.columns ?? []) this.addColumn(table, column, user);
      for (const base of checked?.typed ? this.checker.basesOf(checked.typed) : [])
        this.add({ kind: 'table', name: base }, user);
      if (goal?.measure !== undefined) this.add({ kind: 'measure', name: goal.measure }, user);
      if (via !== undefined) this.add({ kind: 'relationship', name: via }, user);
    }
  }

  private addDerived(): void {
    for (const table of this.model.tables)
      for (const { name, formula, type } of table.columns) {
        if (formula === undefined) continue;
        const user: Named = { kind: 'column', name: columnPath(table.name, name) };
        const { columns } = this.checker.column(table, name, formula, parseType(type) ?? TEXT);
        for (const used of columns) this.addColumn(used.table, used.column, user);
      }
  }

  private addRelationships(): void {
    for (const { name, from, to } of this.model.relationships ?? [])
      for (const end of [from, to])
        for (const column of end.columns) this.addColumn(end.table, column, { kind: 'relationship', name });
  }

  private addHierarchies(): void {
    for (const h of this.model.hierarchies ?? []) {
      const user: Named = { kind: 'hierarchy', name: columnPath(h.table, h.name) };
      const levels = (h.levels ?? []).flatMap((l) => [l.column, ...[l.key ?? []].flat()]);
      const own = [h.parent, h.key, h.label].filter((c) => c !== undefined);
      for (const path of [...levels, ...own]) {
        const found = this.checker.names.column(h.table, path)
          ? { table: h.table, column: path }
          : pathOf(this.checker, path);
        if (found) this.addColumn(found.table, found.column, user);
      }
    }
  }

  /** Questions, listings and perspectives name measures and columns as texts. */
  private addNamed(): void {
    const { trials, knownAnswers, detailListings, perspectives } = this.model;
    const lists: readonly [Named['kind'], readonly { readonly name: string }[] | undefined][] = [
      ['trial', trials],
      ['known answer', knownAnswers],
      ['detail listing', detailListings],
      ['perspective', perspectives],
    ];
    for (const [kind, list] of lists)
      for (const object of list ?? [])
        for (const text of new Set(textsOf(object))) {
          const user: Named = { kind, name: object.name };
          const measure = this.checker.names.measure(text);
          if (measure && text !== object.name) this.add({ kind: 'measure', name: measure.name }, user);
          const column = pathOf(this.checker, text);
          if (column) this.addColumn(column.table, column.column, user);
          const hierarchy = this.checker.names.hierarchy(text);
          if (hierarchy)
            this.add({ kind: 'hierarchy', name: columnPath(hierarchy.table, hierarchy.name) }, user);
          const table = kind === 'perspective' ? this.checker.names.table(text) : undefined;
          if (table) this.add({ kind: 'table', name: table.name }, user);
          if (kind === 'known answer' && (trials ?? []).some((t) => sameName(t.name, text)))
            this.add({ kind: 'trial', name: text }, user);
        }
  }
}

function pathOf(checker: FormulaChecker, path: string): { table: string; column: string } | undefined {
  const found = checker.names.path(path);
  return found && { table: found.table.name, column: found.column.name };
}

/** All texts of a value, as deep as they lie. */
function textsOf(value: unknown): string[] {
  if (typeof value === 'string') return [value];
  if (value === null || typeof value !== 'object') return [];
  return Object.values(value).flatMap(textsOf);
}

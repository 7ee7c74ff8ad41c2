import type { RenamedThing } from '../formula/index.ts';
import { applyEdit, EditError } from '../edit/index.ts';
import type { Measure, Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { canonical } from './objects.ts';

/** A thing of a model that seems to be called otherwise in another; `of` by the names of before. */
export interface Rename {
  readonly of: RenamedThing;
  readonly to: string;
}

type Named = { readonly name: string };

/** Share of columns that two tables must have in common to be taken for one. */
const ALIKE = 0.6;

/**
 * What seems to have another name in a later model: things that are gone, of which exactly one that is new is
 * alike. Tables by their source and columns, columns by where they are read from and what they hold, measures
 * by their formula, relationships by their ends. With the model in which all that is followed.
 */
export function findRenames(before: Model, after: Model): { renames: Rename[]; model: Model } {
  const renames: Rename[] = [];
  let model = before;
  const follow = (of: RenamedThing, to: string) => {
    try {
      model = applyEdit(model, [{ do: 'rename', of, to }]);
      renames.push({ of, to });
    } catch (error) {
      // Where the name cannot be followed, both are told apart.
      if (!(error instanceof EditError)) throw error;
    }
  };
  for (const [old, now] of pairs(model.tables, after.tables, alikeTables))
    follow({ table: old.name }, now.name);
  for (const table of after.tables) {
    const was = model.tables.find((t) => sameName(t.name, table.name));
    if (!was) continue;
    for (const [old, now] of pairs(was.columns, table.columns, alikeColumns))
      follow({ table: table.name, column: old.name }, now.name);
  }
  for (const [old, now] of pairs(model.relationships ?? [], after.relationships ?? [], sameBesideName))
    follow({ relationship: old.name }, now.name);
  for (const [old, now] of pairs(model.measures ?? [], after.measures ?? [], alikeMeasures))
    follow({ measure: old.name }, now.name);
  return { renames, model };
}

/** What is gone with what is new, where one is alike of each. */
function pairs<T extends Named>(
  before: readonly T[],
  after: readonly T[],
  isAlike: (a: T, b: T) => boolean,
): [T, T][] {
  const missing = (list: readonly T[], from: readonly T[]) =>
    list.filter((x) => !from.some((other) => sameName(other.name, x.name)));
  const [gone, fresh] = [missing(before, after), missing(after, before)];
  return gone.flatMap((old): [T, T][] => {
    const found = fresh.filter((now) => isAlike(old, now));
    const [only] = found;
    const back = only === undefined ? [] : gone.filter((other) => isAlike(other, only));
    return found.length === 1 && back.length === 1 ? [[old, only!]] : [];
  });
}

function alikeTables(a: Table, b: Table): boolean {
  const [x, y] = [a, b].map((t) => new Set(t.columns.map((c) => c.name.toLowerCase())));
  const common = [...x!].filter((name) => y!.has(name)).length;
  const all = x!.size + y!.size - common;
  const isSameSource = a.source !== undefined && canonical(a.source) === canonical(b.source);
  return all > 0 && (isSameSource ? common > 0 : common / all >= ALIKE && a.role === b.role);
}

function alikeColumns(a: ModelColumn, b: ModelColumn): boolean {
  if (a.formula !== undefined || b.formula !== undefined)
    return a.formula !== undefined && a.formula === b.formula && a.type === b.type;
  // A column that is renamed here keeps the name by which its values are read.
  return (a.sourceName ?? a.name) === (b.sourceName ?? b.name) && b.sourceName !== undefined;
}

const plain = (formula: string): string => formula.replace(/\s+/g, ' ').trim().toLowerCase();
const alikeMeasures = (a: Measure, b: Measure): boolean => plain(a.formula) === plain(b.formula);

function sameBesideName<T extends Named>(a: T, b: T): boolean {
  return canonical({ ...a, name: '' }) === canonical({ ...b, name: '' });
}

import type { RenamedThing } from '../formula/index.ts';
import { applyEdit, EditError } from '../edit/index.ts';
import type { Model } from '../model/index.ts';
import { checkDocument, modelSchema } from '../model/index.ts';
import type { ModelObject, ObjectKind } from './objects.ts';
import { canonical, COLLECTIONS, objectsById, tableId } from './objects.ts';
import type { Rename } from './renames.ts';
import { findRenames } from './renames.ts';

/** An object that both sides changed, each in its own way; what is missing was removed or not there yet. */
export interface MergeConflict {
  readonly kind: ObjectKind;
  readonly name: string;
  readonly base?: unknown;
  readonly ours?: unknown;
  readonly theirs?: unknown;
}

/**
 * Merges two models that come from one, object by object: what one side alone changed is taken over; where
 * both changed an object differently ours stands and the conflict is told. New names of either side are
 * followed in the other first. The order is ours, with theirs behind what they stand behind. Throws
 * DocumentError where what comes of it is no model.
 */
export function mergeModels(
  base: Model,
  ours: Model,
  theirs: Model,
): { model: Model; conflicts: MergeConflict[] } {
  const named = followNames(base, ours, theirs);
  const conflicts: MergeConflict[] = [...named.conflicts];
  const [old, own, other] = [named.base, named.ours, named.theirs].map(objectsById) as [
    Objects,
    Objects,
    Objects,
  ];
  const ids = orderedIds(own, other);
  const kept = new Map<string, ModelObject>();
  for (const id of new Set([...ids, ...old.keys()])) {
    const [b, o, t] = [old.get(id), own.get(id), other.get(id)];
    const chosen = same(o, b) ? t : o;
    if (!same(o, t) && !same(o, b) && !same(t, b)) conflicts.push(conflictOf(b, o, t));
    if (chosen) kept.set(id, chosen);
  }
  keepTables(kept, old, own, other, conflicts);
  const model = modelOf([...new Set([...ids, ...old.keys()])].flatMap((id) => kept.get(id) ?? []));
  return { model: checkDocument(modelSchema, model, 'the merged model'), conflicts };
}

type Objects = Map<string, ModelObject>;
const same = (a: ModelObject | undefined, b: ModelObject | undefined): boolean =>
  a === undefined || b === undefined ? a === b : canonical(a.value) === canonical(b.value);

function conflictOf(
  base: ModelObject | undefined,
  ours: ModelObject | undefined,
  theirs: ModelObject | undefined,
): MergeConflict {
  const { kind, name } = (ours ?? theirs ?? base)!;
  return {
    kind,
    name,
    ...(base ? { base: base.value } : {}),
    ...(ours ? { ours: ours.value } : {}),
    ...(theirs ? { theirs: theirs.value } : {}),
  };
}

/** Ids of ours, and each that theirs alone have behind the one that it stands behind there. */
function orderedIds(ours: Objects, theirs: Objects): string[] {
  const ids = [...ours.keys()];
  let before: string | undefined;
  for (const id of theirs.keys()) {
    if (!ours.has(id)) ids.splice(before === undefined ? 0 : ids.indexOf(before) + 1, 0, id);
    before = id;
  }
  return ids;
}

/**
 * A table that one side removed while the other changed columns of it: ours decides for all of it, and no
 * column is left without its table.
 */
function keepTables(
  kept: Map<string, ModelObject>,
  old: Objects,
  own: Objects,
  other: Objects,
  conflicts: MergeConflict[],
): void {
  const tables = new Set([...kept.values()].flatMap((o) => o.table?.toLowerCase() ?? []));
  for (const table of tables) {
    const id = tableId(table);
    if (kept.has(id)) continue;
    const mine = own.get(id);
    if (!conflicts.some((c) => c.kind === 'table' && c.name.toLowerCase() === table))
      conflicts.push(conflictOf(old.get(id), mine, other.get(id)));
    if (mine) kept.set(id, mine);
    const columns = [...kept].filter(([, o]) => o.table?.toLowerCase() === table);
    if (!mine) for (const [column] of columns) kept.delete(column);
    // Ours has the table: then it has it whole.
    else
      for (const [column, object] of own) if (object.table?.toLowerCase() === table) kept.set(column, object);
  }
}

/** A model of its objects. */
function modelOf(objects: readonly ModelObject[]): unknown {
  const head = objects.find((o) => o.kind === 'model')!.value;
  const columnsOf = (table: string) =>
    objects.flatMap((o) => (o.table?.toLowerCase() === table.toLowerCase() ? [o.value] : []));
  const model: Record<string, unknown> = {
    crease: 1,
    ...head,
    tables: objects.flatMap((o) => (o.kind === 'table' ? [{ ...o.value, columns: columnsOf(o.name) }] : [])),
  };
  for (const { field, kind } of COLLECTIONS) {
    const values = objects.flatMap((o) => (o.kind === kind ? [o.value] : []));
    if (values.length > 0) model[field] = values;
  }
  return model;
}

/** The three models under the same names, with what both sides named differently. */
function followNames(base: Model, ours: Model, theirs: Model) {
  const [own, other] = [findRenames(base, ours), findRenames(base, theirs)];
  const conflicts: MergeConflict[] = [];
  const only: Rename[] = [];
  let [b, o, t] = [own.model, ours, theirs];
  for (const rename of other.renames) {
    const mine = own.renames.find((r) => canonical(r.of) === canonical(rename.of));
    if (!mine) only.push(rename);
    else if (mine.to !== rename.to) {
      const { kind, name } = toldThing(rename.of);
      conflicts.push({ kind, name, base: { name }, ours: { name: mine.to }, theirs: { name: rename.to } });
    }
  }
  // Names are those of the base: a column of a table that has another name is found under that.
  for (const rename of only) {
    const of = under(rename.of, own.renames);
    o = renamed(o, of, rename.to);
    b = renamed(b, of, rename.to);
  }
  for (const { of, to } of own.renames) {
    const theirName = other.renames.find((r) => canonical(r.of) === canonical(of))?.to;
    const from = under(of, other.renames);
    t = renamed(t, theirName === undefined ? from : withName(from, theirName), to);
  }
  return { base: b, ours: o, theirs: t, conflicts };
}

function renamed(model: Model, of: RenamedThing, to: string): Model {
  try {
    return applyEdit(model, [{ do: 'rename', of, to }]);
  } catch (error) {
    // What is gone there, or cannot follow, stays as it is and is merged by its own name.
    if (error instanceof EditError) return model;
    throw error;
  }
}

/** A thing of the base by the names that a side has. */
function under(of: RenamedThing, renames: readonly Rename[]): RenamedThing {
  if (!('table' in of) || of.column === undefined) return of;
  const table = renames.find(
    (r) =>
      'table' in r.of && r.of.column === undefined && r.of.table.toLowerCase() === of.table.toLowerCase(),
  );
  return table ? { table: table.to, column: of.column } : of;
}

function withName(of: RenamedThing, name: string): RenamedThing {
  if ('measure' in of) return { measure: name };
  if ('relationship' in of) return { relationship: name };
  return of.column === undefined ? { table: name } : { table: of.table, column: name };
}

function toldThing(of: RenamedThing): { kind: ObjectKind; name: string } {
  if ('measure' in of) return { kind: 'measure', name: of.measure };
  if ('relationship' in of) return { kind: 'relationship', name: of.relationship };
  return of.column === undefined
    ? { kind: 'table', name: of.table }
    : { kind: 'column', name: `${of.table}.${of.column}` };
}

import type { RenamedThing } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import type { ObjectKind } from './objects.ts';
import { canonical, objectsById, tableId } from './objects.ts';
import { findRenames } from './renames.ts';

/** What became of an object from one model to another. */
export interface ModelChange {
  readonly kind: ObjectKind;
  /** As the later model has it; of what is removed, as the earlier had it. */
  readonly name: string;
  readonly change: 'added' | 'removed' | 'changed' | 'renamed';
  /** Of what is changed the fields that differ; of what is renamed its name before. */
  readonly was?: unknown;
  readonly now?: unknown;
  /** A new name is told by likeness: it might be another thing. */
  readonly guess?: true;
}

/**
 * Compares two models by their objects, not by lines. What is renamed is followed first, so that formulas
 * that only name it anew are not told as changed. The order of objects in a list and of fields does not
 * count, but for that of columns in their table.
 */
export function diffModels(before: Model, after: Model): ModelChange[] {
  const { renames, model } = findRenames(before, after);
  const told = renames.map(({ of, to }): ModelChange => {
    const { kind, path } = placeOf(of);
    return {
      kind,
      name: [...path.slice(0, -1), to].join('.'),
      change: 'renamed',
      was: path.at(-1),
      now: to,
      guess: true,
    };
  });
  const [old, now] = [objectsById(model), objectsById(after)];
  const changes: ModelChange[] = [];
  for (const [id, object] of old) {
    if (now.has(id)) continue;
    // A table takes its columns with it.
    if (object.table !== undefined && !now.has(tableId(object.table))) continue;
    changes.push({ kind: object.kind, name: object.name, change: 'removed', was: object.value });
  }
  for (const [id, object] of now) {
    const was = old.get(id);
    if (!was) {
      if (object.table !== undefined && !old.has(tableId(object.table))) continue;
      changes.push({ kind: object.kind, name: object.name, change: 'added', now: object.value });
      continue;
    }
    const fields = differing(was.value, object.value);
    if (fields.length > 0)
      changes.push({
        kind: object.kind,
        name: object.name,
        change: 'changed',
        was: only(was.value, fields),
        now: only(object.value, fields),
      });
  }
  return [...told, ...changes, ...moved(model, after)];
}

function placeOf(of: RenamedThing): { kind: ObjectKind; path: string[] } {
  if ('measure' in of) return { kind: 'measure', path: [of.measure] };
  if ('relationship' in of) return { kind: 'relationship', path: [of.relationship] };
  return of.column === undefined
    ? { kind: 'table', path: [of.table] }
    : { kind: 'column', path: [of.table, of.column] };
}

type Fields = Readonly<Record<string, unknown>>;
const differing = (a: Fields, b: Fields): string[] =>
  [...new Set([...Object.keys(a), ...Object.keys(b)])].filter(
    (field) => canonical(a[field]) !== canonical(b[field]),
  );
const only = (value: Fields, fields: readonly string[]): Fields =>
  Object.fromEntries(fields.flatMap((field) => (value[field] === undefined ? [] : [[field, value[field]]])));

/** Tables whose columns are the same and stand in another order. */
function moved(before: Model, after: Model): ModelChange[] {
  return after.tables.flatMap((table): ModelChange[] => {
    const was = before.tables.find((t) => t.name.toLowerCase() === table.name.toLowerCase());
    if (!was) return [];
    const names = (t: typeof table, in_: typeof table) =>
      t.columns
        .map((c) => c.name.toLowerCase())
        .filter((name) => in_.columns.some((c) => c.name.toLowerCase() === name));
    const [old, now] = [names(was, table), names(table, was)];
    if (old.join('\n') === now.join('\n')) return [];
    return [
      {
        kind: 'table',
        name: table.name,
        change: 'changed',
        was: { columns: was.columns.map((c) => c.name) },
        now: { columns: table.columns.map((c) => c.name) },
      },
    ];
  });
}

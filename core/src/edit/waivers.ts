import type { ClaimRef, Hierarchy, Model, Waiver } from '../model/index.ts';
import { hasAll, refOfId, sameName } from '../model/index.ts';
import type { SingleEdit } from './edit.ts';

/** One object that an edit gives another name. */
type Renamed =
  | {
      readonly part: 'table' | 'relationship' | 'measure' | 'perspective' | 'hierarchy';
      readonly from: string;
      readonly to: string;
    }
  | { readonly part: 'column'; readonly table: string; readonly from: string; readonly to: string }
  | { readonly part: 'level'; readonly hierarchy: string; readonly from: string; readonly to: string };

/**
 * The model after an edit with its waivers kept in step: they follow what they are about to its new name, and
 * go with it when it goes. What cannot be told of an id as text is left as it is, so that a waiver never
 * comes to speak of something else.
 */
export function followWaivers(before: Model, after: Model, edit: SingleEdit): Model {
  if (!after.waivers?.length || after.waivers !== before.waivers) return after;
  const renames = renamesOf(edit, before);
  let changed = false;
  const waivers = after.waivers.flatMap((waiver): Waiver[] => {
    const ref = typeof waiver.claim === 'string' ? refOfId(waiver.claim, before) : waiver.claim;
    if (!ref) return [waiver];
    const now = renames.reduce(renamed, ref);
    if (hasAll(ref, before) && !hasAll(now, after)) {
      changed = true;
      return [];
    }
    if (now === ref) return [waiver];
    changed = true;
    return [{ ...waiver, claim: now }];
  });
  return changed ? { ...after, waivers } : after;
}

function renamesOf(edit: SingleEdit, before: Model): Renamed[] {
  if (edit.do === 'rename') {
    const { of, to } = edit;
    if ('measure' in of) return [{ part: 'measure', from: of.measure, to }];
    if ('relationship' in of) return [{ part: 'relationship', from: of.relationship, to }];
    return 'column' in of
      ? [{ part: 'column', table: of.table, from: of.column, to }]
      : [{ part: 'table', from: of.table, to }];
  }
  if (!('value' in edit) || !('name' in edit) || edit.name === null) return [];
  const [from, to] = [edit.name, edit.value.name];
  switch (edit.do) {
    case 'put-hierarchies':
      return hierarchyRenames(before, from, edit.value as unknown as Hierarchy);
    case 'put-tables':
      return sameName(from, to) ? [] : [{ part: 'table', from, to }];
    case 'put-relationships':
      return sameName(from, to) ? [] : [{ part: 'relationship', from, to }];
    case 'put-measures':
      return sameName(from, to) ? [] : [{ part: 'measure', from, to }];
    case 'put-perspectives':
      return sameName(from, to) ? [] : [{ part: 'perspective', from, to }];
    default:
      return [];
  }
}

/**
 * A hierarchy's own name, and those of levels: the same column under another name, or the same place where no
 * level came or went.
 */
function hierarchyRenames(before: Model, name: string, value: Hierarchy): Renamed[] {
  const old = (before.hierarchies ?? []).find(
    (h) => sameName(h.name, name) && sameName(h.table, value.table),
  );
  if (!old) return [];
  const [from, to] = [`${old.table}.${old.name}`, `${value.table}.${value.name}`];
  const [was, is] = [old.levels ?? [], value.levels ?? []];
  const levels = was.flatMap((level): Renamed[] => {
    if (is.some((l) => sameName(l.name, level.name))) return [];
    const now = is.find((l) => l.column === level.column && !was.some((w) => sameName(w.name, l.name)));
    return now ? [{ part: 'level', hierarchy: from, from: level.name, to: now.name }] : [];
  });
  return [...levels, ...(sameName(from, to) ? [] : [{ part: 'hierarchy' as const, from, to }])];
}

/** The reference with a new name where it names what was renamed; itself where it does not. */
function renamed(ref: ClaimRef, change: Renamed): ClaimRef {
  const is = (name: string | undefined, wanted: string) => name !== undefined && sameName(name, wanted);
  switch (change.part) {
    case 'column':
      return is(ref.table, change.table) && is(ref.column, change.from) ? { ...ref, column: change.to } : ref;
    case 'level':
      return is(ref.hierarchy, change.hierarchy) && is(ref.level, change.from)
        ? { ...ref, level: change.to }
        : ref;
    case 'table':
      return tableRenamed(ref, change.from, change.to);
    default:
      return is(ref[change.part], change.from) ? { ...ref, [change.part]: change.to } : ref;
  }
}

function tableRenamed(ref: ClaimRef, from: string, to: string): ClaimRef {
  const changes = (['table', 'fact', 'dimension'] as const)
    .filter((part) => ref[part] !== undefined && sameName(ref[part], from))
    .map((part) => [part, to] as const);
  const inTable = ref.hierarchy?.toLowerCase().startsWith(`${from.toLowerCase()}.`) ?? false;
  if (changes.length === 0 && !inTable) return ref;
  return {
    ...ref,
    ...Object.fromEntries(changes),
    ...(inTable ? { hierarchy: `${to}${ref.hierarchy!.slice(from.length)}` } : {}),
  };
}

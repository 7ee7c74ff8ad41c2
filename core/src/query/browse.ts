import type { Value } from '../values/index.ts';
import { compareValues, fromJson, toJson } from '../values/index.ts';
import { columnValues } from '../columns/index.ts';
import type { Hierarchy } from '../model/index.ts';
import type { Json } from './answer.ts';
import { levelAxis, parentRows, resolveHierarchy } from './axes.ts';
import type { Axis } from './context.ts';
import type { ModelData } from './modelData.ts';

export interface Member {
  readonly label: Json;
  readonly key: Json;
  /** Rows of the hierarchy's table that belong to it. */
  readonly rows: number;
  readonly children: number;
  /** Labels of the members above it, where it lies in more than one. */
  readonly parents?: readonly string[];
}

export interface MemberPage {
  /** The level's name; null for a parent-child hierarchy. */
  readonly level: string | null;
  readonly members: readonly Member[];
  /** How many more there are than those listed. */
  readonly more: number;
}

/** The most members of a page. */
export const MOST_MEMBERS = 300;

/** Members below a path of keys from the top; the empty path gives the top. */
export function browseMembers(data: ModelData, hierarchyPath: string, path: readonly Json[]): MemberPage {
  const hierarchy = resolveHierarchy(data, hierarchyPath);
  return hierarchy.parent === undefined ? browseLevels(data, hierarchy, path) : browseTree(data, hierarchy, path);
}

/** A member's code on each row of the hierarchy's own table. */
function ownCodes(data: ModelData, hierarchy: Hierarchy, axis: Axis): Uint32Array {
  const index = data.lookupIndex(hierarchy.table, axis.table);
  return index ? Uint32Array.from(index, (row) => (row === 0 ? 0 : axis.codes[row - 1]!)) : Uint32Array.from(axis.codes);
}

function browseLevels(data: ModelData, hierarchy: Hierarchy, path: readonly Json[]): MemberPage {
  const levels = hierarchy.levels ?? [];
  if (path.length >= levels.length) return { level: null, members: [], more: 0 };
  const axes = levels.slice(0, path.length + 2).map((level) => levelAxis(data, hierarchy, level));
  const codes = axes.map((axis) => ownCodes(data, hierarchy, axis));
  const own = path.length;
  const groups = new Map<number, { rows: number; below: Set<number> }>();
  // The path holds codes: they tell apart members that look alike.
  for (let row = 0; row < codes[0]!.length; row++) {
    if (path.some((code, level) => codes[level]![row] !== code)) continue;
    const code = codes[own]![row]!;
    let group = groups.get(code);
    if (!group) groups.set(code, (group = { rows: 0, below: new Set() }));
    group.rows++;
    if (codes[own + 1]) group.below.add(codes[own + 1]![row]!);
  }
  const above = own > 0 ? parentsOf(codes[own]!, codes[own - 1]!, axes[own - 1]!) : undefined;
  const axis = axes[own]!;
  const order = axis.order ?? axis.show;
  const all = [...groups].sort(([a], [b]) => compareValues(order(a), order(b)) || compareValues(axis.show(a), axis.show(b)) || a - b);
  return {
    level: levels[own]!.name,
    members: all.slice(0, MOST_MEMBERS).map(([code, { rows, below }]) => ({
      label: toJson(axis.show(code), axis.type),
      key: code,
      rows,
      children: codes[own + 1] ? below.size : 0,
      ...(above && (above.get(code)?.size ?? 0) > 1 ? { parents: [...above.get(code)!] } : {}),
    })),
    more: Math.max(0, all.length - MOST_MEMBERS),
  };
}

function parentsOf(own: Uint32Array, above: Uint32Array, axis: Axis): Map<number, Set<string>> {
  const parents = new Map<number, Set<string>>();
  own.forEach((code, row) => {
    if (code === 0 || above[row] === 0) return;
    parents.set(code, (parents.get(code) ?? new Set()).add(String(toJson(axis.show(above[row]!), axis.type))));
  });
  return parents;
}

function browseTree(data: ModelData, hierarchy: Hierarchy, path: readonly Json[]): MemberPage {
  const { parents, key } = parentRows(data, hierarchy);
  const label = data.column(hierarchy.table, hierarchy.label ?? key.name);
  const [keys, labels] = [columnValues(key), columnValues(label)];
  const top = path.at(-1);
  const wanted = top === undefined ? 0 : rowOfKey(keys, key.codes, fromJson(top, key.type) ?? null);
  const children = new Uint32Array(parents.length + 1);
  for (const parent of parents) children[parent]!++;
  const all = [...parents.keys()].filter((row) => parents[row] === wanted && !(wanted !== 0 && row + 1 === wanted));
  const members = all
    .map((row): Member => ({
      label: toJson(labels[label.codes[row]!]!, label.type),
      key: toJson(keys[key.codes[row]!]!, key.type),
      rows: 1,
      children: children[row + 1]!,
    }))
    .sort((a, b) => (String(a.label) < String(b.label) ? -1 : 1));
  return { level: null, members: members.slice(0, MOST_MEMBERS), more: Math.max(0, members.length - MOST_MEMBERS) };
}

function rowOfKey(values: readonly Value[], codes: ArrayLike<number>, wanted: Value): number {
  for (let row = 0; row < codes.length; row++) if (values[codes[row]!] === wanted) return row + 1;
  return 0;
}

/** How many members each level has, how many rows have none, and how many members lie in two of the level above. */
export function levelFacts(data: ModelData, hierarchyPath: string): { name: string; members: number; nulls: number; torn: number }[] {
  const hierarchy = resolveHierarchy(data, hierarchyPath);
  if (hierarchy.parent !== undefined) return depthFacts(data, hierarchy);
  const axes = (hierarchy.levels ?? []).map((level) => levelAxis(data, hierarchy, level));
  const codes = axes.map((axis) => ownCodes(data, hierarchy, axis));
  return axes.map((_, i) => {
    const parents = i > 0 ? parentsOf(codes[i]!, codes[i - 1]!, axes[i - 1]!) : new Map<number, Set<string>>();
    const composite = Array.isArray(hierarchy.levels![i]!.key) && hierarchy.levels![i]!.key.length > 1;
    const distinct = new Set<number | string>();
    let nulls = 0;
    codes[i]!.forEach((code, row) => {
      if (code === 0) nulls++;
      else
        distinct.add(
          composite
            ? codes
                .slice(0, i + 1)
                .map((c) => c[row])
                .join(',')
            : code,
        );
    });
    return {
      name: hierarchy.levels![i]!.name,
      members: distinct.size,
      nulls,
      torn: composite ? 0 : [...parents.values()].filter((p) => p.size > 1).length,
    };
  });
}

/** Members at each depth of a parent-child hierarchy; those on a loop stand at no depth and count as torn of the first. */
function depthFacts(data: ModelData, hierarchy: Hierarchy): { name: string; members: number; nulls: number; torn: number }[] {
  const { parents } = parentRows(data, hierarchy);
  const counts: number[] = [];
  let looping = 0;
  for (let row = 0; row < parents.length; row++) {
    let [at, depth] = [parents[row]!, 1];
    while (at !== 0 && depth <= parents.length) {
      at = parents[at - 1]!;
      depth++;
    }
    if (at !== 0) looping++;
    else counts[depth - 1] = (counts[depth - 1] ?? 0) + 1;
  }
  return counts.map((members, i) => ({ name: `Depth ${i + 1}`, members: members ?? 0, nulls: 0, torn: i === 0 ? looping : 0 }));
}

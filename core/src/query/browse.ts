import type { Value } from '../values/index.ts';
import { compareCounting, fromJson, toJson } from '../values/index.ts';
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
const MOST_MEMBERS = 300;

/**
 * A hierarchy of the model by its path, or one that is only tried. Throws QueryError for a table that is not
 * there.
 */
function asHierarchy(data: ModelData, asked: string | Hierarchy): Hierarchy {
  if (typeof asked === 'string') return resolveHierarchy(data, asked);
  return { ...asked, table: data.modelTable(asked.table).name };
}

/**
 * Members below a path of keys from the top; the empty path gives the top. A hierarchy that is only tried is
 * given whole.
 */
export function browseMembers(data: ModelData, asked: string | Hierarchy, path: readonly Json[]): MemberPage {
  const hierarchy = asHierarchy(data, asked);
  return hierarchy.parent === undefined
    ? browseLevels(data, hierarchy, path)
    : browseTree(data, hierarchy, path);
}

/** A member's code on each row of the hierarchy's own table. */
function ownCodes(data: ModelData, hierarchy: Hierarchy, axis: Axis): Uint32Array {
  const index = data.lookupIndex(hierarchy.table, axis.table);
  return index
    ? Uint32Array.from(index, (row) => (row === 0 ? 0 : axis.codes[row - 1]!))
    : Uint32Array.from(axis.codes);
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
  const all = [...groups].sort(
    ([a], [b]) => compareCounting(order(a), order(b)) || compareCounting(axis.show(a), axis.show(b)) || a - b,
  );
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
    parents.set(
      code,
      (parents.get(code) ?? new Set()).add(String(toJson(axis.show(above[row]!), axis.type))),
    );
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
  const all = [...parents.keys()].filter(
    (row) => parents[row] === wanted && !(wanted !== 0 && row + 1 === wanted),
  );
  const shown = (row: number) => labels[label.codes[row]!]!;
  all.sort((a, b) => compareCounting(shown(a), shown(b)) || a - b);
  const members = all.map((row): Member => ({
    label: toJson(shown(row), label.type),
    key: toJson(keys[key.codes[row]!]!, key.type),
    rows: 1,
    children: children[row + 1]!,
  }));
  return {
    level: null,
    members: members.slice(0, MOST_MEMBERS),
    more: Math.max(0, members.length - MOST_MEMBERS),
  };
}

function rowOfKey(values: readonly Value[], codes: ArrayLike<number>, wanted: Value): number {
  for (let row = 0; row < codes.length; row++) if (values[codes[row]!] === wanted) return row + 1;
  return 0;
}

/** What the rows say of a level. */
export interface LevelFact {
  readonly name: string;
  readonly members: number;
  /** Rows that have none. */
  readonly nulls: number;
  /** Members in more than one of the level above; of a tree, members on a loop or below one. */
  readonly torn: number;
  /**
   * Members of this level in one of the level above: on average, and the most with the member that has them.
   */
  readonly average?: number;
  readonly most?: { readonly members: number; readonly of: Json };
}

/** What the rows say of a parent-child hierarchy. */
export interface TreeFact {
  readonly members: number;
  readonly roots: number;
  readonly leaves: number;
  /** Members with others below them: their own rows are shown or hidden. */
  readonly inner: number;
  readonly onLoops: number;
  readonly unknownParents: number;
  /** Labels that stand for several members. */
  readonly sharedLabels: number;
  /** The branches with most members, each with its size and depth. */
  readonly branches: readonly { readonly label: Json; readonly members: number; readonly depth: number }[];
}

export interface HierarchyFacts {
  readonly levels: readonly LevelFact[];
  readonly tree?: TreeFact;
}

/**
 * How many members each level has, how many rows have none, how they lie in the level above; of a tree its
 * shape.
 */
export function levelFacts(data: ModelData, asked: string | Hierarchy): HierarchyFacts {
  const hierarchy = asHierarchy(data, asked);
  if (hierarchy.parent !== undefined) return treeFacts(data, hierarchy);
  const levels = hierarchy.levels ?? [];
  const axes = levels.map((level) => levelAxis(data, hierarchy, level));
  const codes = axes.map((axis) => ownCodes(data, hierarchy, axis));
  return {
    levels: axes.map((_, i) => {
      const own = codes[i]!;
      let nulls = 0;
      const members = new Set<number>();
      for (const code of own) {
        if (code === 0) nulls++;
        else members.add(code);
      }
      const facts = { name: levels[i]!.name, members: members.size, nulls };
      if (i === 0) return { ...facts, torn: 0 };
      const torn = [...parentsOf(own, codes[i - 1]!, axes[i - 1]!).values()].filter((p) => p.size > 1).length;
      return { ...facts, torn, ...fanOut(own, codes[i - 1]!, axes[i - 1]!) };
    }),
  };
}

/** Members in one member of the level above: the average, and the most. */
function fanOut(own: Uint32Array, above: Uint32Array, axis: Axis): Pick<LevelFact, 'average' | 'most'> {
  const below = new Map<number, Set<number>>();
  own.forEach((code, row) => {
    if (code === 0 || above[row] === 0) return;
    below.set(above[row]!, (below.get(above[row]!) ?? new Set()).add(code));
  });
  if (below.size === 0) return {};
  const [widest, members] = [...below].reduce((a, b) => (b[1].size > a[1].size ? b : a));
  const all = [...below.values()].reduce((n, set) => n + set.size, 0);
  return {
    average: all / below.size,
    most: { members: members.size, of: toJson(axis.show(widest), axis.type) },
  };
}

const MOST_BRANCHES = 12;

/**
 * Members at each depth of a parent-child hierarchy, and its branches; those on a loop or below one stand at
 * no depth.
 */
function treeFacts(data: ModelData, hierarchy: Hierarchy): HierarchyFacts {
  const { parents, key, parent } = parentRows(data, hierarchy);
  const label = data.column(hierarchy.table, hierarchy.label ?? key.name);
  const labels = columnValues(label);
  const hasChildren = new Uint8Array(parents.length + 1);
  const counts: number[] = [];
  const branches = new Map<number, { members: number; depth: number }>();
  let [onLoops, unknownParents] = [0, 0];
  for (let row = 0; row < parents.length; row++) {
    if (parent.codes[row] !== 0 && parents[row] === 0) unknownParents++;
    if (parents[row] !== row + 1) hasChildren[parents[row]!] = 1;
    let [top, depth] = [row + 1, 1];
    while (parents[top - 1] !== 0 && depth <= parents.length) {
      top = parents[top - 1]!;
      depth++;
    }
    if (depth > parents.length) {
      onLoops++;
      continue;
    }
    counts[depth - 1] = (counts[depth - 1] ?? 0) + 1;
    const branch = branches.get(top) ?? { members: 0, depth: 0 };
    branches.set(top, { members: branch.members + 1, depth: Math.max(branch.depth, depth) });
  }
  const inner = hasChildren.subarray(1).reduce((n, has) => n + has, 0);
  const shared = new Map<number, Set<number>>();
  label.codes.forEach(
    (code, row) => code !== 0 && shared.set(code, (shared.get(code) ?? new Set()).add(key.codes[row]!)),
  );
  return {
    levels: counts.map((members, i) => ({
      name: `Depth ${i + 1}`,
      members: members ?? 0,
      nulls: 0,
      torn: i === 0 ? onLoops : 0,
    })),
    tree: {
      members: parents.length,
      roots: branches.size,
      leaves: parents.length - inner,
      inner,
      onLoops,
      unknownParents,
      sharedLabels: [...shared.values()].filter((keys) => keys.size > 1).length,
      branches: [...branches]
        .sort(([, a], [, b]) => b.members - a.members)
        .slice(0, MOST_BRANCHES)
        .map(([top, branch]) => ({ label: toJson(labels[label.codes[top - 1]!]!, label.type), ...branch })),
    },
  };
}

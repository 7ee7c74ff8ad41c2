import { isNumeric } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { combinations } from '../columns/index.ts';
import type { Hierarchy, Model, Table } from '../model/index.ts';
import { isCodeName } from '../claims/index.ts';
import { columnPath } from '../formula/index.ts';
import { cardinalityOf, freeName, isDefault, sameName, splitPath } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { onRowsOf } from '../query/index.ts';

/** A column that may be a level: of the table, or of one that it looks up. */
export interface LevelColumn {
  /** As a hierarchy of the table names it. */
  readonly path: string;
  readonly members: number;
}

/**
 * A level as it was found: its column, the code that tells its members apart, and the number that puts them
 * in order.
 */
export interface FoundLevel extends LevelColumn {
  readonly key?: string;
  readonly orderBy?: string;
}

/** A level that almost lies in another: so many rows, of so many members, say otherwise. */
export interface NearMiss {
  readonly lower: string;
  readonly upper: string;
  readonly rows: number;
  readonly members: number;
}

/** Levels found in the rows of a table, from the top, each lying in the one before it. */
export interface FoundLevels {
  readonly table: string;
  readonly levels: readonly FoundLevel[];
}

export interface LevelFindings {
  readonly chains: readonly FoundLevels[];
  readonly near: readonly (NearMiss & { readonly table: string })[];
}

/** A miss of more than a few rows, or this part of them, or of the members, is none. */
const FEW_ROWS = 3;
const NEAR_ROWS = 0.02;
const NEAR_MEMBERS = 0.05;
/** Columns with nearly as many values as there are rows are no levels, but for the one at the bottom. */
const NEARLY_UNIQUE = 0.9;
const MOST_COLUMNS = 40;
const MOST_CHAINS = 3;
const MOST_NEAR = 12;

interface Candidate extends LevelColumn {
  readonly column: Column;
  readonly isText: boolean;
}

/**
 * Functional dependencies between the columns of a dimension: stacks of levels in which each member lies in
 * one member of the level above, and the near misses (true but for a few rows). Columns that determine each
 * other are one level, a code its key. A miss is measured as the least number of rows to leave out for the
 * dependency to hold (g3 of Kivinen and Mannila, 1995), on all rows; null parents are left apart.
 */
export function findLevels(data: ModelData, tableName: string): LevelFindings {
  const table = data.modelTable(tableName);
  const rows = data.rowCount(table.name);
  const bottom = table.label ?? (table.key?.length === 1 ? table.key[0] : undefined);
  const all = candidates(data, table, rows, bottom);
  const uppers = all.filter((c) => c.path !== bottom);
  const within = new Map<string, Set<string>>();
  const near: (NearMiss & { table: string })[] = [];
  for (const lower of uppers) {
    const above = new Set<string>();
    for (const upper of uppers) {
      if (upper === lower || upper.members > lower.members) continue;
      const sight = firstSight(lower, upper, rows);
      if (sight === 'holds') above.add(upper.path);
      if (sight !== 'near') continue;
      const miss = missOf(lower, upper, rows);
      if (miss.rows === 0) above.add(upper.path);
      else if (
        upper.members < lower.members &&
        miss.rows <= Math.max(FEW_ROWS, rows * NEAR_ROWS) &&
        miss.members <= Math.max(1, lower.members * NEAR_MEMBERS)
      )
        near.push({ table: table.name, ...miss });
    }
    within.set(lower.path, above);
  }
  const leaf = all.find((c) => c.path === bottom);
  const chains: FoundLevels[] = [];
  let left = uppers;
  while (chains.length < MOST_CHAINS) {
    const chain = longestChain(left, within);
    if (chain.length < (leaf ? 1 : 2) || (chain.length === 1 && chains.length > 0)) break;
    chains.push({
      table: table.name,
      levels: [...chain.map((group) => levelOf(group)), ...(leaf ? [leafOf(leaf, table)] : [])],
    });
    const used = new Set(chain.flat().map((c) => c.path));
    left = left.filter((c) => !used.has(c.path));
  }
  near.sort((a, b) => a.rows - b.rows || a.members - b.members);
  return { chains, near: near.slice(0, MOST_NEAR) };
}

/** All dimensions of a model. */
export const findAllLevels = (data: ModelData): LevelFindings => {
  const found = data.model.tables.filter((t) => t.role === 'dimension').map((t) => findLevels(data, t.name));
  return { chains: found.flatMap((f) => f.chains), near: found.flatMap((f) => f.near) };
};

function candidates(data: ModelData, table: Table, rows: number, bottom: string | undefined): Candidate[] {
  const paths = [
    ...table.columns.map((c) => ({ path: c.name, table: table.name, column: c })),
    ...outriggers(data.model, table).flatMap((other) =>
      other.columns.map((c) => ({ path: columnPath(other.name, c.name), table: other.name, column: c })),
    ),
  ];
  const found: Candidate[] = [];
  for (const { path, table: home, column: c } of paths) {
    if (c.use === 'quantity' || c.hidden || found.length >= MOST_COLUMNS) continue;
    const column = onRowsOf(data, table.name, { table: home, column: c.name });
    const members = column.distinct;
    if (path !== bottom && (members < 2 || members > rows * NEARLY_UNIQUE)) continue;
    found.push({ path, members, column, isText: column.type.kind === 'text' });
  }
  return found;
}

const outriggers = (model: Model, table: Table): Table[] =>
  (model.relationships ?? [])
    .filter(
      (r) =>
        sameName(r.from.table, table.name) &&
        isDefault(r) &&
        cardinalityOf(r) === 'many-to-one' &&
        !sameName(r.to.table, table.name),
    )
    .flatMap((r) => model.tables.find((t) => sameName(t.name, r.to.table) && t.role === 'dimension') ?? [])
    .filter((t) => !(model.calendars ?? []).some((c) => sameName(c.table, t.name)));

/**
 * Most pairs have nothing to do with each other, which soon shows: many members lie elsewhere than where they
 * were met first. Of others no row does. What is left is counted.
 */
function firstSight(lower: Candidate, upper: Candidate, rows: number): 'holds' | 'near' | 'far' {
  const [own, above] = [lower.column.codes, upper.column.codes];
  const first = new Uint32Array(lower.column.domain.size + 1);
  // A member may have been met first where it lies by mistake; then all its rows are counted.
  const most = 4 * Math.max(FEW_ROWS, rows * NEAR_ROWS);
  let off = 0;
  for (let row = 0; row < rows; row++) {
    const [code, parent] = [own[row]!, above[row]!];
    if (code === 0 || parent === 0) continue;
    if (first[code] === 0) first[code] = parent;
    else if (first[code] !== parent && ++off > most) return 'far';
  }
  return off === 0 ? 'holds' : 'near';
}

/**
 * Rows, and members of the lower column, that lie in another member of the upper column than most rows of
 * their member.
 */
function missOf(lower: Candidate, upper: Candidate, rows: number): NearMiss {
  const { numbers, size } = combinations([lower.column, upper.column], rows);
  const [pairRows, lowerOf, upperOf] = [new Uint32Array(size), new Uint32Array(size), new Uint32Array(size)];
  for (let row = 0; row < rows; row++) {
    const pair = numbers[row]!;
    pairRows[pair]!++;
    lowerOf[pair] = lower.column.codes[row]!;
    upperOf[pair] = upper.column.codes[row]!;
  }
  const codes = lower.column.domain.size + 1;
  const [total, most] = [new Uint32Array(codes), new Uint32Array(codes)];
  for (let pair = 0; pair < size; pair++) {
    const [code, count] = [lowerOf[pair]!, pairRows[pair]!];
    if (code === 0 || upperOf[pair] === 0) continue;
    total[code]! += count;
    most[code] = Math.max(most[code]!, count);
  }
  let [wrong, members] = [0, 0];
  for (let code = 1; code < codes; code++) {
    const off = total[code]! - most[code]!;
    wrong += off;
    if (off > 0) members++;
  }
  return { lower: lower.path, upper: upper.path, rows: wrong, members };
}

/** The longest stack of levels, from the top; columns that determine each other stand together. */
function longestChain(
  columns: readonly Candidate[],
  within: ReadonlyMap<string, ReadonlySet<string>>,
): Candidate[][] {
  const lies = (a: Candidate, b: Candidate) => within.get(a.path)?.has(b.path) ?? false;
  const groups: Candidate[][] = [];
  for (const c of [...columns].sort((a, b) => a.members - b.members)) {
    const same = groups.find(([first]) => lies(c, first!) && lies(first!, c));
    if (same) same.push(c);
    else groups.push([c]);
  }
  // Fewest members first: what lies in a group stands behind it.
  const best: { chain: Candidate[][] }[] = [];
  groups.forEach((group, i) => {
    const above = groups.slice(0, i).map((other, j) => (lies(group[0]!, other[0]!) ? best[j]!.chain : []));
    const longest = above.reduce((a, b) => (b.length > a.length ? b : a), [] as Candidate[][]);
    best.push({ chain: [...longest, group] });
  });
  return best.reduce((a, b) => (b.chain.length > a.length ? b.chain : a), [] as Candidate[][]);
}

const homeOf = (path: string): string | undefined => splitPath(path)?.[0];
const isCode = (path: string): boolean => isCodeName(splitPath(path)?.[1] ?? path);

/**
 * A text is shown; a code that determines it tells its members apart, and a number that goes with it puts
 * them in order.
 */
function levelOf(group: readonly Candidate[]): FoundLevel {
  const shown = group.find((c) => c.isText && !isCode(c.path)) ?? group.find((c) => c.isText) ?? group[0]!;
  const key = group.find((c) => c !== shown && isCode(c.path) && homeOf(c.path) === homeOf(shown.path));
  const number = group.find(
    (c) => c !== shown && isNumeric(c.column.type) && putsInOrder(c.path, shown.path),
  );
  const orderBy = shown.isText ? number : undefined;
  return {
    path: shown.path,
    members: shown.members,
    ...(key ? { key: key.path } : {}),
    ...(orderBy ? { orderBy: orderBy.path } : {}),
  };
}

/**
 * A number that goes with a text is its order, but for codes, which only name it; the number of a month or a
 * weekday is both.
 */
const putsInOrder = (number: string, text: string): boolean =>
  !isCode(number) || /(month|week|day|quarter)/i.test(`${number} ${text}`);

function leafOf(leaf: Candidate, table: Table): FoundLevel {
  const key = table.key?.length === 1 && !sameName(table.key[0]!, leaf.path) ? table.key[0]! : undefined;
  return { path: leaf.path, members: leaf.members, ...(key === undefined ? {} : { key }) };
}

/**
 * A name for a level that reads well and is free: that of its column, or of the table where the column is but
 * a name.
 */
export function levelName(path: string, table: string, taken: readonly { readonly name: string }[]): string {
  const [home, column] = splitPath(path) ?? [table, path];
  const words = (/^(name|label|title)$/i.test(column) ? home : column).replaceAll('_', ' ');
  return freeName(words.charAt(0).toUpperCase() + words.slice(1), taken);
}

/** A hierarchy of levels that were found. */
export function hierarchyOf(name: string, { table, levels }: FoundLevels): Hierarchy {
  const made: NonNullable<Hierarchy['levels']> = [];
  for (const { path, key, orderBy } of levels)
    made.push({
      name: levelName(path, table, made),
      column: path,
      ...(key === undefined ? {} : { key }),
      ...(orderBy === undefined ? {} : { orderBy }),
    });
  return { name, table, levels: made };
}

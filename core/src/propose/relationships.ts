import type { DataType } from '../values/index.ts';
import { comparable, parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codeOfValue, columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { endText, freeName, ModelNames, sameName } from '../model/index.ts';
import { matchColumns, Reach } from '../relate/index.ts';
import type { ModelData } from '../query/index.ts';
import { endlessRows, parentRows } from '../query/index.ts';
import { isCalendarKey } from './calendars.ts';
import { labelOf } from './labels.ts';
import { isGivenName, isOfValidity, nameLikeness, wordsOf } from './names.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';
import { counted, numberText } from '../values/index.ts';

/**
 * What tells a reference: by default names that are alike and values that are held; or a house's own rule for
 * names, or the values alone.
 */
export const REFERENCE_PATTERNS = ['names and values', 'same name', 'table and key', 'values alone'] as const;
export type ReferencePattern = (typeof REFERENCE_PATTERNS)[number];

interface Candidate {
  readonly from: Table;
  readonly columns: readonly string[];
  readonly to: Table;
  /** The columns of the other table's key, in the order of `columns`. */
  readonly key: readonly string[];
  /** Rows of which all columns have a value, and others. */
  readonly filled: number;
  readonly nulls: number;
  /** Filled rows that find a partner. */
  readonly matched: number;
  readonly fromDistinct: number;
  readonly toDistinct: number;
  readonly likeness: number;
  readonly score: number;
}

/** Of the filled rows, so much must find a partner. */
const MOST = 0.6;
/** Names below are not alike. */
const ALIKE = 0.5;

/**
 * Relationships to tables by their keys, of one column or several, by containment of values and likeness of
 * names; a column of the table's own key becomes a hierarchy.
 */
export function proposeRelationships(
  model: Model,
  data: ModelData,
  pattern: ReferencePattern = 'names and values',
): Proposal[] {
  const taken: { readonly name: string }[] = [...(model.relationships ?? [])];
  const found: Proposal[] = [];
  // The largest tables first: their own references become the default ways, and what would make a second way
  // does not.
  const tables = [...model.tables].sort((a, b) => data.rowCount(b.name) - data.rowCount(a.name));
  let drafted = model;
  const propose = (best: Candidate, known?: string) => {
    const asDefault = relationshipOf(best, true, taken);
    const second = known ?? makesSecondWay(drafted, asDefault);
    const proposal = second === undefined ? asDefault : relationshipOf(best, false, taken, second);
    taken.push((proposal.edit[0] as unknown as { value: { name: string } }).value);
    drafted = applyEdit(drafted, proposal.edit);
    found.push(proposal);
  };
  const target = (from: Table, column: string) =>
    bestTarget(model, data, from, ownColumn(from, column), pattern)?.to.name;
  // A key that is nothing but references is that of a fact or a bridge: nothing refers to it.
  const composed = model.tables.filter(
    (t) => (t.key ?? []).length > 1 && !t.key!.every((name) => target(t, name) !== undefined),
  );
  for (const from of tables) {
    const composite = compositeTargets(model, data, from, composed);
    for (const candidate of composite) propose(candidate);
    for (const column of from.columns) {
      if (
        column.formula !== undefined ||
        (model.relationships ?? []).some(
          (r) =>
            sameName(r.from.table, from.name) &&
            r.from.columns.length === 1 &&
            sameName(r.from.columns[0]!, column.name),
        )
      )
        continue;
      if (isOfValidity(column.name)) continue; // the ends of a validity are no references
      const best = bestTarget(model, data, from, column, pattern);
      if (!best) continue;
      if (sameName(best.to.name, from.name)) {
        const known = (model.hierarchies ?? []).some(
          (h) => sameName(h.table, from.name) && h.parent !== undefined && sameName(h.parent, column.name),
        );
        if (!known) found.push(parentChild(data, best));
        continue;
      }
      // A part of a reference of several columns leads on from the table that the whole leads to, where that
      // part refers to the same.
      const part = composite.find((c) => {
        const at = c.columns.findIndex((name) => sameName(name, column.name));
        return at >= 0 && target(c.to, c.key[at]!) === best.to.name;
      });
      propose(best, part && best.to.name);
    }
  }
  return found;
}

const ownColumn = (table: Table, name: string): ModelColumn =>
  table.columns.find((c) => sameName(c.name, name))!;

/** Keys of several columns are looked for in columns of like names. */
function compositeTargets(
  model: Model,
  data: ModelData,
  from: Table,
  tables: readonly Table[],
): readonly Candidate[] {
  return tables.flatMap((to): Candidate[] => {
    const key = to.key!;
    if (to === from) return [];
    const pairs = key.map((name) => likestColumn(from, to, name));
    if (pairs.some((pair) => pair === undefined)) return [];
    const columns = pairs.map((pair) => pair!.column);
    if (new Set(columns).size < columns.length) return [];
    if (
      (model.relationships ?? []).some(
        (r) => sameName(r.from.table, from.name) && alike(r.from.columns, columns),
      )
    )
      return [];
    const ends = [
      columns.map((name) => data.column(from.name, name)),
      key.map((name) => data.column(to.name, name)),
    ] as const;
    // Two tables that count their own rows from 1 have the same keys by accident.
    if (alike(from.key ?? [], columns) && ends[0].every((c) => c.type.kind === 'integer')) return [];
    const match = matchColumns(...ends);
    const filled = match.rows - match.nulls;
    if (match.matched === 0 || match.matched < filled * MOST) return [];
    const likeness = Math.min(...pairs.map((pair) => pair!.likeness));
    return [{ ...match, filled, from, columns, to, key, likeness, score: match.matched / filled + likeness }];
  });
}

/** Whether two lists hold the same names, in whatever order. */
const alike = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((name) => b.some((other) => sameName(name, other)));

/**
 * The column that is called most like a part of another table's key, or like that table and the part, and may
 * be compared with it.
 */
function likestColumn(from: Table, to: Table, key: string): { column: string; likeness: number } | undefined {
  const type = (table: Table, name: string) => parseType(ownColumn(table, name).type) ?? TEXT;
  return from.columns
    .filter((c) => c.formula === undefined && sameKind(type(from, c.name), type(to, key)))
    .map((c) => ({
      column: c.name,
      likeness: Math.max(nameLikeness(c.name, key), nameLikeness(c.name, `${to.name}_${key}`)),
    }))
    .filter(({ likeness }) => likeness >= ALIKE)
    .sort((a, b) => b.likeness - a.likeness)[0];
}

const sameKind = (a: DataType, b: DataType): boolean =>
  comparable(a, b) && (a.kind === 'text') === (b.kind === 'text');

/**
 * Names a table to which there would be a second default way, or a way back to the start, if the relationship
 * were default.
 */
function makesSecondWay(model: Model, proposal: Proposal): string | undefined {
  const names = new ModelNames(applyEdit(model, proposal.edit));
  const [before, reach] = [new Reach(new ModelNames(model)), new Reach(names)];
  for (const base of model.tables) {
    for (const [table, paths] of reach.lookups(base.name))
      if (paths.length > 1 && paths.length > (before.lookups(base.name).get(table)?.length ?? 0))
        return names.table(table)!.name;
  }
  const { from, to } = (proposal.edit[0] as unknown as { value: Relationship }).value;
  return reach.lookups(to.table).has(from.table.toLowerCase()) ? from.table : undefined;
}

function bestTarget(
  model: Model,
  data: ModelData,
  from: Table,
  column: ModelColumn,
  pattern: ReferencePattern,
): Candidate | undefined {
  const own = data.column(from.name, column.name);
  const type = parseType(column.type) ?? TEXT;
  if (own.distinct === 0 || ['decimal', 'double', 'boolean', 'timestamp'].includes(type.kind))
    return undefined;
  const candidates = model.tables.flatMap((to): Candidate[] => {
    if (to.key?.length !== 1) return [];
    const key = to.key[0]!;
    if (sameName(to.name, from.name) && sameName(key, column.name)) return [];
    const keyColumn = data.column(to.name, key);
    if (!sameKind(type, keyColumn.type)) return [];
    // A table's own single key is not a reference, unless the other table is much the wider one.
    if (isOwnKey(from, column.name) && nameLikeness(column.name, key) < 1) return [];
    const isSelf = sameName(to.name, from.name);
    // Days of a calendar have no parents among them.
    if (isSelf && type.kind === 'date') return [];
    // Of two tables with one key the one that is called like it refers to the other, which says more of it.
    if (isOwnKey(from, column.name) && called(column.name, to) > called(column.name, from)) return [];
    const likeness = isSelf
      ? selfLikeness(data, from, column.name, key)
      : Math.max(
          nameLikeness(column.name, key),
          nameLikeness(column.name, to.name),
          nameLikeness(withoutCode(column.name), to.name),
        );
    const matched = matchedRows(own, keyColumn);
    const share = matched / Math.max(1, own.rowCount - own.nulls);
    if (share < MOST) return [];
    const isDay = type.kind === 'date';
    const byRule = fitsPattern(pattern, column.name, to, key);
    const enough = isDay
      ? isCalendarKey(keyColumn)
      : byRule !== undefined
        ? byRule
        : pattern === 'values alone' || (isGivenName(column.name) && isGivenName(key) && startsFar(keyColumn))
          ? share >= ALL_BUT_FEW && own.distinct >= 3
          : type.kind === 'text'
            ? likeness >= ALIKE || (share > 0.9 && own.distinct >= 3 && looksLikeCodes(own))
            : likeness >= ALIKE;
    const distinct = { fromDistinct: own.distinct, toDistinct: keyColumn.distinct };
    const counted = { matched, nulls: own.nulls, filled: own.rowCount - own.nulls, ...distinct };
    return enough
      ? [{ from, columns: [column.name], to, key: [key], ...counted, likeness, score: share + likeness }]
      : [];
  });
  // Of tables with one key, the one that is called like the column is meant, then the one that has more of
  // its values.
  return candidates.sort(
    (a, b) =>
      b.score - a.score ||
      called(column.name, b.to) - called(column.name, a.to) ||
      b.toDistinct - a.toDistinct,
  )[0];
}

/** How much a column is called like a table. */
const called = (column: string, table: Table): number => nameLikeness(withoutCode(column), table.name);

const isOwnKey = (table: Table, column: string): boolean =>
  table.key?.length === 1 && sameName(table.key[0]!, column);

/** Whether a key's numbers begin so far from 0 that others do not lie among them by accident. */
const startsFar = (key: Column): boolean => {
  const first = columnValues(key)[1];
  return key.type.kind === 'integer' && Number(first) >= FAR;
};
const FAR = 1000;

/** With the values alone, so much of the rows must find a partner. */
const ALL_BUT_FEW = 0.98;

/** Whether a name follows the rule that was chosen; undefined where none was. */
function fitsPattern(pattern: ReferencePattern, column: string, to: Table, key: string): boolean | undefined {
  const words = (name: string) => wordsOf(name).join('_');
  if (pattern === 'same name') return words(column) === words(key);
  if (pattern === 'table and key') return words(column) === `${words(to.name)}_${words(key)}`;
  return undefined;
}

const withoutCode = (name: string): string => {
  const words = wordsOf(name);
  return (
    words.length > 1 && ['id', 'no', 'code', 'key', 'number', 'nr', 'barcode'].includes(words.at(-1)!)
      ? words.slice(0, -1)
      : words
  ).join('_');
};

const SUPERIORS =
  /parent|manager|chief|head|superior|supervisor|foreman|boss|master|leader|report|belong|above/;

/**
 * A reference to its own table is named after a superior (`manager_no`), or ends as the key does (`warden_no`
 * for `staff_no`): then its rows have to say so, too.
 */
function selfLikeness(data: ModelData, table: Table, column: string, key: string): number {
  if (SUPERIORS.test(wordsOf(column).join('_'))) return 1;
  const last = (name: string) => wordsOf(name).at(-1);
  return last(column) === last(key) && wordsOf(column).length > 1 && isTree(data, table, column, key)
    ? ALIKE
    : 0;
}

/** Whether some rows have no parent, all others have one that is known, and none is above itself. */
function isTree(data: ModelData, table: Table, parent: string, key: string): boolean {
  const column = data.column(table.name, parent);
  if (
    column.nulls === 0 ||
    column.nulls === column.rowCount ||
    matchedRows(column, data.column(table.name, key)) < column.rowCount - column.nulls
  )
    return false;
  return !endlessRows(parentRows(data, { name: parent, table: table.name, key, parent }).parents).includes(1);
}

const looksLikeCodes = (column: Column): boolean => {
  const values = columnValues(column).slice(1, 50) as string[];
  return (
    values.length > 0 &&
    values.every((v) => /^[A-Z0-9]+([-_/.][A-Z0-9]+)*$/.test(v) || /^(?=.*\d)\p{L}[\p{L}\d]*$/u.test(v))
  );
};

/** Rows of a column whose value the key holds: dictionary against dictionary, with the stored counts. */
function matchedRows(column: Column, key: Column): number {
  const values = columnValues(column);
  let rows = 0;
  for (let code = 1; code < values.length; code++) {
    if (column.counts[code] === 0) continue;
    const at = codeOfValue(key.domain, values[code]!);
    if (at > 0 && key.counts[at]! > 0) rows += column.counts[code]!;
  }
  return rows;
}

/** `second` is the table to which there is a way already, where the relationship is not to be default. */
function relationshipOf(
  c: Candidate,
  isDefault: boolean,
  taken: readonly { readonly name: string }[],
  second?: string,
): Proposal {
  const { from, columns, to, key } = c;
  const filled = c.filled;
  const orphans = filled - c.matched;
  const last = isDefault ? to.name : columns.map(withoutCode).join('_');
  return {
    id: `relationship:${from.name}.${columns.join(', ')}`,
    kind: 'relationship',
    table: from.name,
    says: `${endText({ table: from.name, columns: [...columns] })} refers to ${endText({ table: to.name, columns: [...key] })}`,
    evidence: [
      `${percent(c.matched, filled)} of ${numberText(filled)} filled rows find a partner${orphans > 0 ? `; ${numberText(orphans)} do not` : ''}`,
      ...(c.nulls > 0 ? [`${counted(c.nulls, 'row')} ${c.nulls === 1 ? 'is' : 'are'} null`] : []),
      c.likeness >= 0.99
        ? 'the names are the same'
        : c.likeness >= ALIKE
          ? 'the names are alike'
          : ownColumn(from, columns[0]!).type === 'date'
            ? 'its days are those of a calendar'
            : 'the values look like codes of that table',
      `${counted(c.fromDistinct, 'distinct value')} against ${numberText(c.toDistinct)}`,
      ...(isDefault ? [] : [`not by default: there is already a path to ${second}`]),
    ],
    edit: [
      {
        do: 'put-relationships',
        name: null,
        value: {
          name: freeName(`${from.name}_${last}`, taken),
          from: { table: from.name, columns: [...columns] },
          to: { table: to.name, columns: [...key] },
          cardinality: alike(from.key ?? [], columns) ? 'one-to-one' : 'many-to-one',
          ...(isDefault ? {} : { default: false }),
        },
      },
    ],
  };
}

function parentChild(data: ModelData, c: Candidate): Proposal {
  const [column, key] = [c.columns[0]!, c.key[0]!];
  const label = labelOf(c.from, data);
  return {
    id: `hierarchy:${c.from.name}.${column}`,
    kind: 'hierarchy',
    table: c.from.name,
    says: `${c.from.name}.${column} is the parent of ${c.from.name}.${key}`,
    evidence: [
      `${percent(c.matched, c.filled)} of its values are members`,
      `${counted(c.nulls, 'row')} ${c.nulls === 1 ? 'has' : 'have'} none: at the top`,
    ],
    edit: [
      {
        do: 'put-hierarchies',
        name: null,
        value: {
          name: `${c.from.name} by ${withoutCode(column).replaceAll('_', ' ')}`,
          table: c.from.name,
          parent: column,
          ...(label ? { label } : {}),
        },
      },
    ],
  };
}

import { comparable, parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codeOfValue, columnValues } from '../columns/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { freeName, ModelNames, sameName } from '../model/index.ts';
import { Reach } from '../relate/index.ts';
import type { ModelData } from '../query/index.ts';
import { isCalendarKey } from './calendars.ts';
import { labelOf } from './labels.ts';
import { nameLikeness, wordsOf } from './names.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';
import { isValidityEnd } from './roles.ts';

/** What tells a reference: by default names that are alike and values that are held; or a house's own rule for names, or the values alone. */
export const REFERENCE_PATTERNS = ['names and values', 'same name', 'table and key', 'values alone'] as const;
export type ReferencePattern = (typeof REFERENCE_PATTERNS)[number];

interface Candidate {
  readonly from: Table;
  readonly column: ModelColumn;
  readonly to: Table;
  readonly key: string;
  readonly matched: number;
  readonly likeness: number;
  readonly score: number;
}

/** Relationships to tables with a single-column key, by containment of values and likeness of names; a column of the table's own key becomes a hierarchy. */
export function proposeRelationships(model: Model, data: ModelData, pattern: ReferencePattern = 'names and values'): Proposal[] {
  const taken: { readonly name: string }[] = [...(model.relationships ?? [])];
  const found: Proposal[] = [];
  // The largest tables first: their own references become the default ways, and what would make a second way does not.
  const tables = [...model.tables].sort((a, b) => data.rowCount(b.name) - data.rowCount(a.name));
  let drafted = model;
  for (const from of tables) {
    for (const column of from.columns) {
      if (
        column.formula !== undefined ||
        (model.relationships ?? []).some(
          (r) => sameName(r.from.table, from.name) && r.from.columns.length === 1 && sameName(r.from.columns[0]!, column.name),
        )
      )
        continue;
      if (isValidityEnd(column.name)) continue; // the ends of a validity are no references
      const best = bestTarget(model, data, from, column, pattern);
      if (!best) continue;
      if (sameName(best.to.name, from.name)) {
        const known = (model.hierarchies ?? []).some(
          (h) => sameName(h.table, from.name) && h.parent !== undefined && sameName(h.parent, column.name),
        );
        if (!known) found.push(parentChild(data, best));
        continue;
      }
      const asDefault = relationshipOf(data, best, true, taken);
      const second = makesSecondWay(drafted, asDefault);
      const proposal = second ? relationshipOf(data, best, false, taken, second) : asDefault;
      taken.push((proposal.edit[0] as unknown as { value: { name: string } }).value);
      drafted = applyEdit(drafted, proposal.edit);
      found.push(proposal);
    }
  }
  return found;
}

/** Names a table to which there would be a second default way, or a way back to the start, if the relationship were default. */
function makesSecondWay(model: Model, proposal: Proposal): string | undefined {
  const names = new ModelNames(applyEdit(model, proposal.edit));
  const reach = new Reach(names);
  for (const base of model.tables) {
    for (const [table, paths] of reach.lookups(base.name)) if (paths.length > 1) return names.table(table)!.name;
  }
  const { from, to } = (proposal.edit[0] as unknown as { value: Relationship }).value;
  return reach.lookups(to.table).has(from.table.toLowerCase()) ? from.table : undefined;
}

function bestTarget(model: Model, data: ModelData, from: Table, column: ModelColumn, pattern: ReferencePattern): Candidate | undefined {
  const own = data.column(from.name, column.name);
  const type = parseType(column.type) ?? TEXT;
  if (own.distinct === 0 || ['decimal', 'double', 'boolean', 'timestamp'].includes(type.kind)) return undefined;
  const candidates = model.tables.flatMap((to): Candidate[] => {
    if (to.key?.length !== 1) return [];
    const key = to.key[0]!;
    if (sameName(to.name, from.name) && sameName(key, column.name)) return [];
    const keyColumn = data.column(to.name, key);
    if (!comparable(type, keyColumn.type) || (type.kind === 'text') !== (keyColumn.type.kind === 'text')) return [];
    // A table's own single key is not a reference, unless the other table is much the wider one.
    if (from.key?.length === 1 && sameName(from.key[0]!, column.name) && nameLikeness(column.name, key) < 1) return [];
    const likeness = sameName(to.name, from.name)
      ? selfLikeness(column.name, key)
      : Math.max(nameLikeness(column.name, key), nameLikeness(column.name, to.name), nameLikeness(withoutCode(column.name), to.name));
    const matched = matchedRows(own, keyColumn);
    const share = matched / Math.max(1, own.rowCount - own.nulls);
    if (share < 0.6) return [];
    const isDay = type.kind === 'date';
    const byRule = fitsPattern(pattern, column.name, to, key);
    const enough = isDay
      ? isCalendarKey(keyColumn)
      : byRule !== undefined
        ? byRule
        : pattern === 'values alone'
          ? share >= ALL_BUT_FEW && own.distinct >= 3
          : type.kind === 'text'
            ? likeness >= 0.5 || (share > 0.9 && own.distinct >= 3 && looksLikeCodes(own))
            : likeness >= 0.5;
    return enough ? [{ from, column, to, key, matched, likeness, score: share + likeness }] : [];
  });
  return candidates.sort((a, b) => b.score - a.score)[0];
}

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
    words.length > 1 && ['id', 'no', 'code', 'key', 'number', 'nr', 'barcode'].includes(words.at(-1)!) ? words.slice(0, -1) : words
  ).join('_');
};

/** A reference to its own table needs a word beside the key's: `manager_no` for `staff_no`. */
const selfLikeness = (column: string, key: string): number => {
  const last = (name: string) => wordsOf(name).at(-1);
  return /parent|manager|chief|head|superior|master|reports|belongs/i.test(column)
    ? 1
    : last(column) === last(key) && wordsOf(column).length > 1
      ? 0.4
      : 0;
};

const looksLikeCodes = (column: Column): boolean => {
  const values = columnValues(column).slice(1, 50) as string[];
  return values.length > 0 && values.every((v) => /^[A-Z0-9]+([-_/.][A-Z0-9]+)*$/.test(v));
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

function relationshipOf(
  data: ModelData,
  c: Candidate,
  isDefault: boolean,
  taken: readonly { readonly name: string }[],
  second?: string,
): Proposal {
  const own = data.column(c.from.name, c.column.name);
  const filled = own.rowCount - own.nulls;
  const name = freeName(`${c.from.name}_${isDefault ? c.to.name : withoutCode(c.column.name)}`, taken);
  const orphans = filled - c.matched;
  return {
    id: `relationship:${c.from.name}.${c.column.name}`,
    kind: 'relationship',
    table: c.from.name,
    says: `${c.from.name}.${c.column.name} refers to ${c.to.name}.${c.key}`,
    evidence: [
      `${percent(c.matched, filled)} of ${filled} filled rows find a partner${orphans > 0 ? `; ${orphans} do not` : ''}`,
      ...(own.nulls > 0 ? [`${own.nulls} rows are null`] : []),
      c.likeness >= 0.99
        ? 'the names are the same'
        : c.likeness >= 0.5
          ? 'the names are alike'
          : own.type.kind === 'date'
            ? 'its days are those of a calendar'
            : 'the values look like codes of that table',
      `${own.distinct} distinct values against ${data.column(c.to.name, c.key).distinct}`,
      ...(isDefault ? [] : [`not by default: there is a way to ${second} already`]),
    ],
    edit: [
      {
        do: 'put-relationships',
        name: null,
        value: {
          name,
          from: { table: c.from.name, columns: [c.column.name] },
          to: { table: c.to.name, columns: [c.key] },
          cardinality: 'many-to-one',
          ...(isDefault ? {} : { default: false }),
        },
      },
    ],
  };
}

function parentChild(data: ModelData, c: Candidate): Proposal {
  const own = data.column(c.from.name, c.column.name);
  const label = labelOf(c.from, data);
  return {
    id: `hierarchy:${c.from.name}.${c.column.name}`,
    kind: 'hierarchy',
    table: c.from.name,
    says: `${c.from.name}.${c.column.name} is the parent of ${c.from.name}.${c.key}`,
    evidence: [
      `${percent(c.matched, own.rowCount - own.nulls)} of its values are members`,
      `${own.nulls} rows have none: they are at the top`,
    ],
    edit: [
      {
        do: 'put-hierarchies',
        name: null,
        value: {
          name: `${c.from.name} by ${withoutCode(c.column.name).replaceAll('_', ' ')}`,
          table: c.from.name,
          parent: c.column.name,
          ...(label ? { label } : {}),
        },
      },
    ],
  };
}

import type { DataType } from '../values/index.ts';
import { comparable, parseType, TEXT } from '../values/index.ts';
import type { Column } from '../columns/index.ts';
import { codeOfValue, columnValues } from '../columns/index.ts';
import type { Edit, Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { applyEdit, ModelNames, sameName } from '../model/index.ts';
import { Reach } from '../relate/index.ts';
import type { ModelData } from '../query/index.ts';
import { codeReason, combinations } from '../claims/index.ts';
import { nameLikeness, wordsOf } from './names.ts';

export type ProposalKind = 'key' | 'relationship' | 'hierarchy' | 'role' | 'use' | 'label' | 'calendar' | 'measure';

/** One part of a drafted star: an edit with what speaks for it. */
export interface Proposal {
  readonly id: string;
  readonly kind: ProposalKind;
  readonly table: string;
  readonly says: string;
  /** Facts counted, in plain words. */
  readonly evidence: readonly string[];
  readonly edit: Edit;
}

const percent = (part: number, whole: number): string => `${whole === 0 ? 0 : Math.floor((1000 * part) / whole) / 10} %`;

/**
 * Drafts a star from tables and their rows: keys first, then relationships by containment and likeness of names, then roles,
 * uses, labels, calendars and base measures, each resting on those before it. What the model already says is left alone.
 */
export function proposeStar(data: ModelData): Proposal[] {
  const all: Proposal[] = [];
  let { model } = data;
  for (const step of [proposeKeys, proposeRelationships, proposeRoles, proposeUses, proposeLabels, proposeCalendars, proposeMeasures]) {
    const found = step(model, data);
    for (const proposal of found) model = applyEdit(model, proposal.edit);
    all.push(...found);
  }
  return all;
}

/** The model with all proposals applied. */
export const acceptAll = (model: Model, proposals: readonly Proposal[]): Model => proposals.reduce((m, p) => applyEdit(m, p.edit), model);

// ---------- keys ----------

const MOST_KEY_COLUMNS = 9;
/** Rows on which combinations are tried first. */
const SAMPLE_ROWS = 20_000;

function proposeKeys(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter((t) => !t.key?.length && data.rowCount(t.name) > 0)
    .flatMap((t): Proposal[] => {
      const key = findKey(t, data);
      if (!key) return [];
      const rows = data.rowCount(t.name);
      return [
        {
          id: `key:${t.name}`,
          kind: 'key',
          table: t.name,
          says: `${key.columns.join(', ')} ${key.columns.length > 1 ? 'are' : 'is'} the key of ${t.name}`,
          evidence: [
            key.twice === 0 ? `unique in all ${rows} rows` : `unique but for ${key.twice} of ${rows} rows`,
            'never null',
            ...(key.columns.length > 1 ? ['no single column is unique'] : []),
          ],
          edit: [{ do: 'set-table', table: t.name, change: { key: key.columns } }],
        },
      ];
    });
}

function findKey(table: Table, data: ModelData): { columns: string[]; twice: number } | undefined {
  const rows = data.rowCount(table.name);
  const candidates = table.columns
    .filter((c) => c.formula === undefined)
    .map((c) => ({ c, column: data.column(table.name, c.name), type: parseType(c.type) ?? TEXT }))
    .filter(({ column, type }) => column.nulls === 0 && !['decimal', 'double', 'boolean'].includes(type.kind));
  // A key that a few rows break is still the key: the claim on it will show them.
  const single = candidates
    .map((k, i) => ({ ...k, twice: rows - k.column.distinct, score: keyScore(k.c.name, table.name, k.type, i) }))
    .filter(
      ({ twice, c, type }) =>
        (twice === 0 && type.kind !== 'timestamp' && !holdsMoments(data.column(table.name, c.name))) ||
        (twice <= Math.max(1, rows * 0.002) && keyScore(c.name, table.name, TEXT, 0) >= 2),
    )
    .sort((a, b) => b.score - a.score);
  if (single[0]) return { columns: [single[0].c.name], twice: single[0].twice };
  const few = candidates.filter(({ column, type }) => column.distinct > 1 && type.kind !== 'timestamp').slice(0, MOST_KEY_COLUMNS);
  for (const size of [2, 3]) {
    for (const combination of subsets(few, size)) {
      const columns = combination.map(({ column }) => column);
      if (columns.reduce((product, c) => product * c.distinct, 1) < rows) continue;
      const sample = Math.min(rows, SAMPLE_ROWS);
      if (combinations(columns, sample).size < sample || combinations(columns, rows).size < rows) continue;
      return { columns: combination.map(({ c }) => c.name), twice: 0 };
    }
  }
  return undefined;
}

/** A moment written as text may be unique by accident, but is nobody's key. */
const holdsMoments = (column: Column): boolean =>
  column.type.kind === 'text' && /^\d{4}-\d{2}-\d{2}[ T]\d/.test(String(columnValues(column)[1] ?? ''));

/** Names that sound like a key of the table, and early places, count for a column. */
function keyScore(name: string, table: string, type: DataType, place: number): number {
  const words = wordsOf(name);
  const named = ['id', 'no', 'code', 'key', 'number', 'nr', 'day', 'date', 'barcode'].includes(words.at(-1) ?? '') ? 2 : 0;
  const own = nameLikeness(words.slice(0, -1).join('_') || name, table) > 0.6 ? 2 : 0;
  return named + own + (place === 0 ? 1 : 0) - (type.kind === 'timestamp' ? 3 : 0) - place / 100;
}

function* subsets<T>(items: readonly T[], size: number, from = 0): Generator<T[]> {
  if (size === 0) yield [];
  else for (let i = from; i <= items.length - size; i++) for (const rest of subsets(items, size - 1, i + 1)) yield [items[i]!, ...rest];
}

// ---------- relationships ----------

interface Candidate {
  readonly from: Table;
  readonly column: ModelColumn;
  readonly to: Table;
  readonly key: string;
  readonly matched: number;
  readonly likeness: number;
  readonly score: number;
}

const VALIDITY = /^(valid|effective)_?(from|to|until|since)$/i;

function proposeRelationships(model: Model, data: ModelData): Proposal[] {
  const taken = new Set((model.relationships ?? []).map((r) => r.name.toLowerCase()));
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
      if (VALIDITY.test(column.name)) continue; // the ends of a validity are no references
      const best = bestTarget(model, data, from, column);
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
      taken.add((proposal.edit[0] as unknown as { value: { name: string } }).value.name.toLowerCase());
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

function bestTarget(model: Model, data: ModelData, from: Table, column: ModelColumn): Candidate | undefined {
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
    const enough = isDay
      ? isCalendarKey(keyColumn)
      : type.kind === 'text'
        ? likeness >= 0.5 || (share > 0.9 && own.distinct >= 3 && looksLikeCodes(own))
        : likeness >= 0.5;
    return enough ? [{ from, column, to, key, matched, likeness, score: share + likeness }] : [];
  });
  return candidates.sort((a, b) => b.score - a.score)[0];
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

const isCalendarKey = (key: Column): boolean => key.type.kind === 'date' && key.distinct >= 28 && key.domain.size <= key.distinct * 1.5;

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

function relationshipOf(data: ModelData, c: Candidate, isDefault: boolean, taken: ReadonlySet<string>, second?: string): Proposal {
  const own = data.column(c.from.name, c.column.name);
  const filled = own.rowCount - own.nulls;
  const base = `${c.from.name}_${isDefault ? c.to.name : withoutCode(c.column.name)}`;
  let name = base;
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base}_${n}`;
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

// ---------- roles ----------

function proposeRoles(model: Model, data: ModelData): Proposal[] {
  const relationships = model.relationships ?? [];
  return model.tables.flatMap((t): Proposal[] => {
    const out = relationships.filter((r) => sameName(r.from.table, t.name));
    const into = relationships.filter((r) => sameName(r.to.table, t.name));
    const targets = new Set(out.map((r) => r.to.table));
    const referring = new Set(out.flatMap((r) => r.from.columns.map((c) => c.toLowerCase())));
    const others = t.columns.filter((c) => !referring.has(c.name.toLowerCase()));
    const keyIsReferences = (t.key ?? []).length > 1 && t.key!.every((k) => referring.has(k.toLowerCase()));
    const share = others.find((c) => isShare(data.column(t.name, c.name)));
    const evidence: string[] = [];
    let role: Table['role'];
    if (into.length > 0) {
      role = 'dimension';
      evidence.push(`${into.length} relationships lead to it`);
    } else if (keyIsReferences && targets.size === 2 && others.length <= 2 && (share !== undefined || others.length === 0)) {
      role = 'bridge';
      evidence.push(`its key is made of references to ${[...targets].join(' and ')}`);
      if (share) evidence.push(`${share.name} lies between 0 and 1: a share`);
    } else if (validityOf(t)) {
      role = 'dimension';
      evidence.push('its rows are versions, each valid for a time');
    } else if ((model.hierarchies ?? []).some((h) => h.parent !== undefined && sameName(h.table, t.name))) {
      role = 'dimension';
      evidence.push('its rows have parents among themselves');
    } else if (targets.size >= 1) {
      const wide = data.rowCount(t.name) >= Math.max(...[...targets].map((name) => data.rowCount(name)), 0) / 4;
      role = targets.size >= 2 || wide ? 'fact' : 'dimension';
      evidence.push(`it refers to ${targets.size} tables and none refers to it`, `${data.rowCount(t.name)} rows`);
    } else {
      role = 'staging';
      evidence.push('no relationship leads to it or from it');
    }
    if (t.role === role) return [];
    const weight = role === 'bridge' && share ? { weight: { column: share.name, per: [out[0]!.from.columns[0]!] } } : {};
    const valid = role === 'dimension' && !t.validity ? validityOf(t) : undefined;
    const natural = t.columns.find(
      (c) => !VALIDITY.test(c.name) && !(t.key ?? []).some((k) => sameName(k, c.name)) && /(_|\b)(no|code|id|number|key)$/i.test(c.name),
    );
    const validity = valid && natural ? { validity: { of: [natural.name], ...valid } } : {};
    return [
      {
        id: `role:${t.name}`,
        kind: 'role',
        table: t.name,
        says: `${t.name} is a ${role} table`,
        evidence,
        edit: [{ do: 'set-table', table: t.name, change: { role, ...weight, ...validity } }],
      },
    ];
  });
}

/** The columns between which a version is valid. */
function validityOf(t: Table): { from: string; to: string } | undefined {
  const from = t.columns.find((c) => c.type === 'date' && /^(valid|effective)_?(from|since)$/i.test(c.name));
  const to = t.columns.find((c) => c.type === 'date' && /^(valid|effective)_?(to|until)$/i.test(c.name));
  return from && to ? { from: from.name, to: to.name } : undefined;
}

function isShare(column: Column): boolean {
  if (column.type.kind !== 'decimal' && column.type.kind !== 'double') return false;
  const unit = column.type.kind === 'decimal' ? 10 ** column.type.scale : 1;
  return columnValues(column).every((v) => v === null || (Number(v) > 0 && Number(v) <= unit));
}

// ---------- uses, labels, calendars, measures ----------

function proposeUses(model: Model, data: ModelData): Proposal[] {
  const relationships = model.relationships ?? [];
  return model.tables.flatMap((t) =>
    t.columns.flatMap((c): Proposal[] => {
      const column = data.column(t.name, c.name);
      const type = parseType(c.type) ?? TEXT;
      const refers = relationships.some((r) => sameName(r.from.table, t.name) && r.from.columns.some((n) => sameName(n, c.name)));
      const code = codeReason(c.name, type.kind === 'integer', column);
      const [use, reason]: [NonNullable<ModelColumn['use']>, string] = refers
        ? ['reference', 'a relationship starts from it']
        : (t.key ?? []).some((k) => sameName(k, c.name))
          ? ['key', 'it is part of the key']
          : ['integer', 'decimal', 'double'].includes(type.kind) &&
              !code &&
              !isTimePart(c.name) &&
              (t.role === 'fact' || t.role === 'bridge' || type.kind !== 'integer')
            ? ['quantity', type.kind === 'integer' ? "whole numbers that repeat and have no code's name" : 'numbers with decimals']
            : ['attribute', code && type.kind === 'integer' ? code : type.kind === 'text' ? 'text' : `${type.kind} that describes the row`];
      if (c.use === use) return [];
      const aggregate = use === 'quantity' ? (/price|rate|percent|share|ratio|average/i.test(c.name) ? 'avg' : 'sum') : undefined;
      return [
        {
          id: `use:${t.name}.${c.name}`,
          kind: 'use',
          table: t.name,
          says: `${t.name}.${c.name} is used as ${use === 'attribute' ? 'an attribute' : `a ${use}`}${aggregate ? `, by default ${aggregate === 'avg' ? 'averaged' : 'added up'}` : ''}`,
          evidence: [reason],
          edit: [{ do: 'set-column', table: t.name, column: c.name, change: { use, ...(aggregate ? { aggregate } : {}) } }],
        },
      ];
    }),
  );
}

const isTimePart = (name: string): boolean => ['year', 'month', 'quarter', 'week', 'day', 'hour'].includes(wordsOf(name).at(-1) ?? '');

function labelOf(t: Table, data: ModelData): string | undefined {
  const texts = t.columns.filter((c) => c.type === 'text' && !(t.key ?? []).includes(c.name) && data.column(t.name, c.name).nulls === 0);
  return (texts.find((c) => ['name', 'title', 'label', 'description'].includes(wordsOf(c.name).at(-1) ?? '')) ?? texts[0])?.name;
}

function proposeLabels(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter((t) => t.role === 'dimension' && t.label === undefined)
    .flatMap((t): Proposal[] => {
      const label = labelOf(t, data);
      if (label === undefined || !/name|title|label/i.test(label)) return [];
      const column = data.column(t.name, label);
      return [
        {
          id: `label:${t.name}`,
          kind: 'label',
          table: t.name,
          says: `${label} stands for a member of ${t.name}`,
          evidence: [`${column.distinct} distinct among ${column.rowCount} rows`, 'its name is that of a label'],
          edit: [{ do: 'set-table', table: t.name, change: { label } }],
        },
      ];
    });
}

function proposeCalendars(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter(
      (t) =>
        t.key?.length === 1 &&
        t.role === 'dimension' &&
        isCalendarKey(data.column(t.name, t.key[0]!)) &&
        !(model.calendars ?? []).some((c) => sameName(c.table, t.name)),
    )
    .map((t): Proposal => ({
      id: `calendar:${t.name}`,
      kind: 'calendar',
      table: t.name,
      says: `${t.name} is a calendar`,
      evidence: [`${t.key![0]} holds ${data.column(t.name, t.key![0]!).distinct} days that follow each other`],
      edit: [{ do: 'put-calendar', value: { table: t.name, day: t.key![0]! } }],
    }));
}

function proposeMeasures(model: Model): Proposal[] {
  const taken = new Set([...(model.measures ?? []).map((m) => m.name.toLowerCase()), ...model.tables.map((t) => t.name.toLowerCase())]);
  const free = (name: string, table: string): string => {
    const unique = taken.has(name.toLowerCase()) ? `${name} of ${table.replaceAll('_', ' ')}` : name;
    taken.add(unique.toLowerCase());
    return unique;
  };
  const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`;
  const title = (name: string) =>
    wordsOf(name)
      .join(' ')
      .replace(/^./, (c) => c.toUpperCase());
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t) => {
      const existing = (model.measures ?? []).map((m) => m.formula.replaceAll('"', '').toLowerCase());
      const wanted = [
        { name: `${title(t.name)} rows`, formula: `count(${quoted(t.name)})`, why: 'every fact can be counted' },
        ...t.columns
          .filter((c) => c.use === 'quantity' && c.aggregate !== 'none')
          .map((c) => ({
            name: title(c.name),
            formula: `${c.aggregate === 'avg' ? 'avg' : 'sum'}(${quoted(t.name)}.${quoted(c.name)})`,
            why: `${c.name} is a quantity`,
          })),
      ];
      return wanted
        .filter((w) => !existing.includes(w.formula.replaceAll('"', '').toLowerCase()))
        .map((w): Proposal => {
          const name = free(w.name, t.name);
          return {
            id: `measure:${t.name}.${name}`,
            kind: 'measure',
            table: t.name,
            says: `${name} = ${w.formula}`,
            evidence: [w.why],
            edit: [{ do: 'put-measures', name: null, value: { name, table: t.name, formula: w.formula } }],
          };
        });
    });
}

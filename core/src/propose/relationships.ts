import { parseType, TEXT } from '../values/index.ts';
import type { Model, ModelColumn, Relationship, Table } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { endText, freeName, ModelNames, sameName } from '../model/index.ts';
import { matchColumns, Reach } from '../relate/index.ts';
import type { ModelData } from '../query/index.ts';
import { withRoleNames } from './dimensionRoles.ts';
import { FIT, nameFit, subjectOf } from './nameFit.ts';
import type { Fit } from './nameFit.ts';
import { amountsOf } from './holds.ts';
import { isOfValidity, wordsOf } from './names.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';
import { referenceFinder, sameKind } from './references.ts';
import type { Candidate, ReferencePattern } from './references.ts';
import { proposeTree } from './trees.ts';
import { counted, numberText } from '../values/index.ts';

/** Of the filled rows, so much must find a partner. */
const MOST = 0.6;

/**
 * Relationships to tables by columns that tell their rows apart, by values that are held and names that fit;
 * a column that leads to its own table becomes a hierarchy. What matches most rows goes first: it is the
 * default way where there are two. A loop is never drafted. What is `left` out, by id, is in nothing's way.
 */
export function proposeRelationships(
  model: Model,
  data: ModelData,
  pattern: ReferencePattern = 'names and values',
  left: ReadonlySet<string> = new Set(),
): Proposal[] {
  const taken: { readonly name: string }[] = [...(model.relationships ?? [])];
  const found: Proposal[] = [];
  let drafted = model;
  const propose = (best: Candidate, known?: string) => {
    const asDefault = relationshipOf(best, true, taken);
    if (leadsBack(drafted, best)) return;
    const second = known ?? makesSecondWay(drafted, asDefault);
    const proposal = second === undefined ? asDefault : relationshipOf(best, false, taken, second);
    taken.push((proposal.edit[0] as unknown as { value: { name: string } }).value);
    if (!left.has(proposal.id)) drafted = applyEdit(drafted, proposal.edit);
    found.push(proposal);
  };
  const find = referenceFinder(model, data, pattern);
  const target = (from: Table, column: string) => find(from, ownColumn(from, column));
  // A key that is nothing but references is that of a fact or a bridge: nothing refers to it.
  const composed = model.tables.filter(
    (t) => (t.key ?? []).length > 1 && !t.key!.every((name) => target(t, name) !== undefined),
  );
  // The largest tables first: their own references become the default ways, and what would make a second way
  // does not.
  const tables = [...model.tables].sort((a, b) => data.rowCount(b.name) - data.rowCount(a.name));
  for (const from of tables) {
    const composite = compositeTargets(model, data, from, composed);
    const single: Candidate[] = [];
    for (const column of from.columns.filter((c) => isOpen(model, from, c))) {
      const best = find(from, column);
      // A column that leads up within its own table leads elsewhere only where its name says so.
      const tree = best && best.fit > FIT.none ? undefined : proposeTree(model, data, from, column);
      if (tree) found.push(tree);
      else if (best) single.push(best);
    }
    const all = [...composite, ...single].sort((a, b) => weightOf(b) - weightOf(a));
    for (const best of all) {
      // A part of a reference of several columns leads on from the table that the whole leads to, where that
      // part refers to the same.
      const part =
        best.columns.length === 1 &&
        composite.find((c) => {
          const at = c.columns.findIndex((name) => sameName(name, best.columns[0]!));
          return at >= 0 && weightOf(c) >= weightOf(best) && target(c.to, c.key[at]!)?.to === best.to;
        });
      propose(best, part ? best.to.name : undefined);
    }
  }
  return withRoleNames(found);
}

/** Rows that find a partner, of all: to whole percents, so that a few orphans do not decide. */
const shareOf = ({ matched, filled, nulls }: Candidate): number =>
  Math.floor((100 * matched) / Math.max(1, filled + nulls));

/** Of several columns together a few orphans more are taken: they say more of where they lead. */
const TOGETHER = 10;
const weightOf = (c: Candidate): number => shareOf(c) + (c.columns.length > 1 ? TOGETHER : 0);

/**
 * Whether a column may still start a relationship: it is stored or a derived day, starts none, and is no end
 * of a validity.
 */
const isOpen = (model: Model, from: Table, column: ModelColumn): boolean =>
  (column.formula === undefined || column.type === 'date') &&
  !isOfValidity(column.name) &&
  !(model.relationships ?? []).some(
    (r) =>
      sameName(r.from.table, from.name) &&
      r.from.columns.length === 1 &&
      sameName(r.from.columns[0]!, column.name),
  );

/** Whether the other table leads back to the one where a relationship would start. */
function leadsBack(model: Model, { from, to }: Candidate): boolean {
  const seen = new Set<string>();
  const open = [to.name];
  for (let name = open.pop(); name !== undefined; name = open.pop()) {
    if (sameName(name, from.name)) return true;
    if (seen.has(name.toLowerCase())) continue;
    seen.add(name.toLowerCase());
    for (const r of model.relationships ?? []) if (sameName(r.from.table, name)) open.push(r.to.table);
  }
  return false;
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
    // Two tables that count their own rows from 1 have the same keys by accident, and so do two facts of one
    // grain.
    if (
      alike(from.key ?? [], columns) &&
      (ends[0].every((c) => c.type.kind === 'integer') || amountsOf(to, data).length > 0)
    )
      return [];
    const match = matchColumns(...ends);
    const filled = match.rows - match.nulls;
    if (match.matched === 0 || match.matched < filled * MOST) return [];
    const fit = pairs.every((pair) => pair!.fit === FIT.whole) ? FIT.whole : FIT.ending;
    return [{ ...match, filled, from, columns, to, key, fit, score: match.matched / filled + fit }];
  });
}

/** Whether two lists hold the same names, in whatever order. */
const alike = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === b.length && a.every((name) => b.some((other) => sameName(name, other)));

/**
 * The column that is called as a part of another table's key is, or as that table and the part, and may be
 * compared with it.
 */
function likestColumn(from: Table, to: Table, key: string): { column: string; fit: Fit } | undefined {
  const type = (table: Table, name: string) => parseType(ownColumn(table, name).type) ?? TEXT;
  const words = (name: string) => wordsOf(name).join(' ');
  return from.columns
    .filter((c) => c.formula === undefined && sameKind(type(from, c.name), type(to, key)))
    .map((c) => ({
      column: c.name,
      fit:
        words(c.name) === words(key)
          ? FIT.whole
          : nameFit(subjectOf(c.name), subjectOf(to.name), subjectOf(key)),
    }))
    .filter(({ fit }) => fit >= FIT.ending)
    .sort((a, b) => b.fit - a.fit)[0];
}

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

/** What the names say, or else the values. */
function whyOf({ from, columns, key, fit }: Candidate): string {
  const words = (name: string) => wordsOf(name).join(' ');
  if (columns.every((name, i) => words(name) === words(key[i]!))) return 'the names are the same';
  if (fit > FIT.none) return 'its name is that of the table';
  return ownColumn(from, columns[0]!).type === 'date'
    ? 'its days are those of a calendar'
    : 'its values are among those of that table, too specific to match by chance';
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
  const last = isDefault ? to.name : columns.map((name) => subjectOf(name).words.join('_') || name).join('_');
  return {
    id: `relationship:${from.name}.${columns.join(', ')}`,
    kind: 'relationship',
    table: from.name,
    says: `${endText({ table: from.name, columns: [...columns] })} refers to ${endText({ table: to.name, columns: [...key] })}`,
    evidence: [
      `${percent(c.matched, filled)} of ${numberText(filled)} filled rows find a partner${orphans > 0 ? `; ${numberText(orphans)} do not` : ''}`,
      ...(c.nulls > 0 ? [`${counted(c.nulls, 'row')} ${c.nulls === 1 ? 'is' : 'are'} null`] : []),
      whyOf(c),
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

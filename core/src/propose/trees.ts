import { columnValues } from '../columns/index.ts';
import type { Column } from '../columns/index.ts';
import type { Model, ModelColumn, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { endlessRows, parentRows } from '../query/index.ts';
import { parseType, TEXT } from '../values/index.ts';
import { counted } from '../values/index.ts';
import { heldBy } from './held.ts';
import { labelOf } from './labels.ts';
import { subjectOf } from './nameFit.ts';
import { wordsOf } from './names.ts';
import { percent } from './proposal.ts';
import type { Proposal } from './proposal.ts';
import { sameKind } from './references.ts';

/** Words for what stands above, alone or with a word for a code: `manager`, `rolls_up_to`, `parentid`. */
const SUPERIORS = new RegExp(
  [
    '(^|_)',
    '(parent|manager|chief|head|superior|supervisor|foreman|boss|master|leader|report|belong|above|upper|roll|under|within|ancestor)',
    '(id|no|code|key)?',
    '(_|$)',
  ].join(''),
);
/** Of the filled rows so much must have a parent that is a member. */
const MOST = 0.6;

/** What a column of parents was found to hold. */
interface Tree {
  readonly table: Table;
  readonly column: string;
  readonly matched: number;
  readonly filled: number;
  readonly nulls: number;
}

/**
 * The column's proposal as parents of the table's members, where its values and its name say so; undefined
 * else.
 */
export function proposeTree(
  model: Model,
  data: ModelData,
  table: Table,
  column: ModelColumn,
): Proposal | undefined {
  const key = table.key?.length === 1 ? table.key[0]! : undefined;
  if (key === undefined || sameName(key, column.name)) return undefined;
  if (
    (model.hierarchies ?? []).some(
      (h) => sameName(h.table, table.name) && h.parent !== undefined && sameName(h.parent, column.name),
    )
  )
    return undefined;
  const [own, members] = [data.column(table.name, column.name), data.column(table.name, key)];
  const type = parseType(column.type) ?? TEXT;
  if (own.distinct === 0 || !['text', 'integer'].includes(type.kind) || !sameKind(type, members.type))
    return undefined;
  const { matched, filled } = heldBy(own, members);
  if (matched < filled * MOST) return undefined;
  const isTree =
    SUPERIORS.test(wordsOf(column.name).join('_')) ||
    leadsUpward(data, table, column.name, key, own, matched);
  return isTree
    ? proposalOf(data, { table, column: column.name, matched, filled, nulls: own.nulls })
    : undefined;
}

/**
 * Whether the values alone say that a column holds parents: they are all keys of the table, some rows have
 * none, and none is above itself. Numbers may be so by accident: they must be named as a code of the table's
 * own kind, or be other than the first few of its keys.
 */
function leadsUpward(
  data: ModelData,
  table: Table,
  column: string,
  key: string,
  own: Column,
  matched: number,
): boolean {
  if (own.nulls === 0 || matched < own.rowCount - own.nulls) return false;
  const [about, of, part] = [subjectOf(column), subjectOf(table.name).words, subjectOf(key)];
  const last = about.words.at(-1);
  const isOfItsKind =
    (last !== undefined && (last === of.at(-1) || last === part.words.at(-1))) ||
    // `warden_no` beside `staff_no`: named by the same sort of code, where that is more than an id.
    (about.isCode && part.isCode && part.words.length > 0 && wordsOf(column).at(-1) === wordsOf(key).at(-1));
  const isUnlikely =
    own.distinct >= 3 && own.nulls * 2 <= own.rowCount && !areFirstFew(own, data.column(table.name, key));
  if (own.type.kind === 'integer' && !about.isCode) return false;
  if (!isOfItsKind && !isUnlikely) return false;
  return !endlessRows(
    parentRows(data, { name: column, table: table.name, key, parent: column }).parents,
  ).includes(1);
}

/** Whether numbers are the first of a key's and leave none out, as those of a short list that is not here. */
function areFirstFew(own: Column, key: Column): boolean {
  if (own.type.kind !== 'integer') return false;
  const values = columnValues(own).filter((_, code) => code > 0 && own.counts[code]! > 0);
  const first = columnValues(key).slice(1, 1 + values.length);
  return values.every((v, i) => v === first[i]);
}

function proposalOf(data: ModelData, { table, column, matched, filled, nulls }: Tree): Proposal {
  const label = table.label ?? labelOf(table, data);
  return {
    id: `hierarchy:${table.name}.${column}`,
    kind: 'hierarchy',
    table: table.name,
    says: `${table.name}.${column} is the parent of ${table.name}.${table.key![0]!}`,
    evidence: [
      `${percent(matched, filled)} of its values are members`,
      `${counted(nulls, 'row')} ${nulls === 1 ? 'has' : 'have'} none: at the top`,
    ],
    edit: [
      {
        do: 'put-hierarchies',
        name: null,
        value: {
          name: `${table.name} by ${column.replace(/[_ ](id|no|code|key|number|nr)$/i, '').replaceAll('_', ' ')}`,
          table: table.name,
          parent: column,
          ...(label ? { label } : {}),
        },
      },
    ],
  };
}

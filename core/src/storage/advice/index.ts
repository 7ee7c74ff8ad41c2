import type { Edit } from '../../edit/index.ts';
import { applyEdit } from '../../edit/index.ts';
import { columnPath } from '../../formula/index.ts';
import type { Model } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { DataError } from '../../query/index.ts';
import { compareText } from '../../values/index.ts';
import { profiledTables } from '../profile.ts';
import { bytesAround } from '../tableBytes.ts';
import { usesOfColumns } from '../usedBy.ts';
import { totalBytes } from '../weight.ts';
import { coarsen } from './coarsen.ts';
import { derive } from './derive.ts';
import { fewerDecimals } from './fewerDecimals.ts';
import type { Fold } from './fold.ts';
import { leaveOut } from './leaveOut.ts';
import { move } from './move.ts';
import { part } from './part.ts';
import type { FoldKind, Found, Site } from './site.ts';
import { sitesOf } from './site.ts';
import { sort } from './sort.ts';
import { store } from './store.ts';
import { withModel } from './withModel.ts';
import { splitMoment } from './splitMoment.ts';
import { splitText } from './splitText.ts';
import { wholeNumberKey } from './wholeNumberKey.ts';

export { foldSchema } from './fold.ts';
export type { Fold } from './fold.ts';

const KINDS: { readonly [D in Fold['do']]: FoldKind<D> } = {
  'leave-out': leaveOut,
  derive,
  move,
  'split-moment': splitMoment,
  coarsen,
  'split-text': splitText,
  'fewer-decimals': fewerDecimals,
  'whole-number-key': wholeNumberKey,
  sort,
  part,
  store,
};

/** Something that would make a model lighter, with its bytes before and after, measured on all rows. */
export interface Advice extends Omit<Found, 'fold'> {
  /** `loan.created_at`; of an order of rows the first column that it goes by. */
  readonly column: string;
  /** What uses the column: none where nothing does. */
  readonly usedBy: readonly string[];
  readonly fold: Fold;
}

/** The smallest saving worth a word. */
const WORTH_BYTES = 1024;

/** A part of the columns, for threads that look at them beside each other: number 0 of 2, say. */
export interface Share {
  readonly number: number;
  readonly of: number;
}

/**
 * What would make the model lighter, columns that nothing uses first, then by the bytes saved; last what
 * costs bytes and saves work. Of a share only what is found at its columns: `inOrder` of all is the whole.
 */
export function adviceOn(data: ModelData, share: Share = { number: 0, of: 1 }): Advice[] {
  const uses = usesOfColumns(data);
  const found = sharedOut(sitesOf(data, uses), share).flatMap((site) =>
    Object.values(KINDS).flatMap((kind) =>
      kind.find(site).map((found): Advice => {
        const column = columnPath(found.fold.table, found.fold.column);
        return { ...found, column, usedBy: uses.get(column.toLowerCase()) ?? [] };
      }),
    ),
  );
  return inOrder(found.filter((a) => saved(a) >= WORTH_BYTES || SAVES_WORK.has(a.fold.do)));
}

/** Advice in the order in which it is told; what saves as much, by its column. */
export const inOrder = (advice: readonly Advice[]): Advice[] =>
  [...advice].sort(
    (a, b) => Number(isUsed(a)) - Number(isUsed(b)) || saved(b) - saved(a) || compareText(a.column, b.column),
  );

/** Columns are dealt out by their bytes, the heaviest first, so that shares take about as long. */
function sharedOut(sites: readonly Site[], { number, of }: Share): readonly Site[] {
  if (of === 1) return sites;
  const mine = new Set(
    [...sites]
      .sort((a, b) => totalBytes(b.column) - totalBytes(a.column))
      .filter((_, i) => (Math.floor(i / of) % 2 === 0 ? i % of : of - 1 - (i % of)) === number),
  );
  return sites.filter((site) => mine.has(site));
}

/** What may cost bytes and is told for the work that it saves. */
const SAVES_WORK: ReadonlySet<Fold['do']> = new Set(['store', 'part']);

const isUsed = (a: Advice): boolean => a.fold.do !== 'leave-out';
const saved = (a: Advice): number => a.beforeBytes - a.afterBytes;

/**
 * The edit that makes a fold on a model as it is; undefined where the model has changed so that it cannot
 * be.
 */
export function editOfFold(model: Model, fold: Fold): Edit | undefined {
  const kind = KINDS[fold.do] as FoldKind<Fold['do']>;
  return kind.edit(model, fold as never);
}

/** The edit that makes several folds one after the other. Throws DataError for one that cannot be made. */
export function editOfFolds(model: Model, folds: readonly Fold[]): Edit {
  let now = model;
  return folds.flatMap((fold) => {
    const edit = editOfFold(now, fold);
    if (!edit)
      throw new DataError(
        `${columnPath(fold.table, fold.column)} is not there any more as it was: look at the advice again`,
      );
    now = applyEdit(now, edit);
    return edit;
  });
}

/** What the stored columns of a table weigh, with what leads from it and the levels within it: bytes. */
export interface FoldedTable {
  readonly name: string;
  readonly rows: number;
  readonly totalBytes: number;
  readonly columns: readonly { readonly name: string; readonly totalBytes: number }[];
}

/** What folds do together: every table that weighs something else then, before and after. */
export interface FoldsMeasured {
  readonly edit: Edit;
  readonly before: readonly FoldedTable[];
  readonly after: readonly FoldedTable[];
  /** Of the whole model. */
  readonly beforeBytes: number;
  readonly afterBytes: number;
}

/**
 * Makes several folds together on all rows and measures what the model weighs then, other tables included.
 * Throws DataError where one cannot be made, or where the rows cannot be had so.
 */
export function measureFolds(data: ModelData, folds: readonly Fold[]): FoldsMeasured {
  const edit = editOfFolds(data.model, folds);
  const model = applyEdit(data.model, edit);
  const [before, after] = [tablesOf(data), tablesOf(withModel(data, model))];
  const sum = (tables: readonly FoldedTable[]) => tables.reduce((n, t) => n + t.totalBytes, 0);
  const of = (tables: readonly FoldedTable[], name: string) => tables.find((t) => sameName(t.name, name));
  const differs = (t: FoldedTable) =>
    JSON.stringify(of(before, t.name)?.columns) !== JSON.stringify(of(after, t.name)?.columns) ||
    of(before, t.name)?.totalBytes !== of(after, t.name)?.totalBytes;
  return {
    edit,
    before: before.filter(differs),
    after: after.filter(differs),
    beforeBytes: sum(before),
    afterBytes: sum(after),
  };
}

const tablesOf = (data: ModelData): FoldedTable[] =>
  profiledTables(data.model).map((table) => {
    const columns = table.columns
      .filter((c) => c.formula === undefined)
      .map((c) => ({ name: c.name, totalBytes: totalBytes(data.column(table.name, c.name)) }));
    return {
      name: table.name,
      rows: data.rowCount(table.name),
      totalBytes: columns.reduce((sum, c) => sum + c.totalBytes, bytesAround(data, table)),
      columns,
    };
  });

import { linkBroken } from '../calendar/index.ts';
import { withRoles } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { sameClaim, sameName } from '../model/index.ts';
import type { Collection, Edit, PutEdit, RemoveEdit, SingleEdit } from './edit.ts';
import { followWaivers } from './waivers.ts';
import { EditError } from './editError.ts';
import { renameInModel, renameRole } from './rename.ts';

/**
 * Applies an edit. The model given stays as it is; parts that do not change are shared. Throws EditError,
 * also for a change of a calendar that follows another model's.
 */
export function applyEdit(model: Model, edit: Edit): Model {
  const after = edit.reduce((at, single) => followWaivers(at, applySingle(at, single), single), model);
  const refused = linkBroken(model, after);
  if (refused !== undefined) throw new EditError(refused);
  return after;
}

function applySingle(model: Model, edit: SingleEdit): Model {
  switch (edit.do) {
    case 'set-model':
      return withoutNull({ ...model, ...cleared(edit.change) });
    case 'set-table':
      return onTable(model, edit.table, (table) => ({ ...table, ...cleared(edit.change) }));
    case 'set-column':
      return onTable(model, edit.table, (table) => ({
        ...table,
        columns: replaceNamed(table.columns, edit.column, `column ${edit.table}.`, (column) => ({
          ...column,
          ...cleared(edit.change),
        })),
      }));
    case 'put-column':
      return onTable(model, edit.table, (table) => {
        const exists = table.columns.some((c) => sameName(c.name, edit.value.name));
        return {
          ...table,
          columns: exists
            ? table.columns.map((c) => (sameName(c.name, edit.value.name) ? edit.value : c))
            : [...table.columns, edit.value],
        };
      });
    case 'remove-column':
      return withoutColumn(model, edit.table, edit.column);
    case 'set-relationship': {
      const before = (model.relationships ?? []).find((r) => sameName(r.name, edit.name));
      const changed = {
        ...model,
        relationships: replaceNamed(model.relationships ?? [], edit.name, 'relationship ', (r) => ({
          ...r,
          ...cleared(edit.change),
        })),
      };
      return before?.role && edit.change.role
        ? followRoles(model, changed, before.role, edit.change.role)
        : changed;
    }
    case 'set-period-families': {
      const others = (model.periodFamilies ?? []).filter((f) => !sameName(f.measure, edit.measure));
      return { ...model, periodFamilies: [...others, ...edit.families] };
    }
    case 'put-calendar':
      return {
        ...model,
        calendars: [
          ...(model.calendars ?? []).filter((c) => !sameName(c.table, edit.value.table)),
          edit.value,
        ],
      };
    case 'remove-calendar':
      return { ...model, calendars: (model.calendars ?? []).filter((c) => !sameName(c.table, edit.table)) };
    case 'waive':
      return {
        ...model,
        waivers: [...(model.waivers ?? []).filter((w) => !sameClaim(w.claim, edit.value.claim)), edit.value],
      };
    case 'put-corrections':
      return {
        ...model,
        corrections: [...(model.corrections ?? []).filter((c) => !sameName(c.of, edit.value.of)), edit.value],
      };
    case 'remove-corrections': {
      const left = (model.corrections ?? []).filter((c) => !sameName(c.of, edit.of));
      if (left.length === (model.corrections ?? []).length)
        throw new EditError(`${edit.of} is not corrected`);
      return { ...model, corrections: left };
    }
    case 'put-known-answer': {
      const others = (model.knownAnswers ?? []).filter((k) => !sameName(k.name, edit.value.name));
      const at = (model.knownAnswers ?? []).findIndex((k) => sameName(k.name, edit.value.name));
      others.splice(at < 0 ? others.length : at, 0, edit.value);
      return { ...model, knownAnswers: others };
    }
    case 'remove-known-answer':
      return {
        ...model,
        knownAnswers: (model.knownAnswers ?? []).filter((k) => !sameName(k.name, edit.name)),
      };
    case 'end-waiver':
      return { ...model, waivers: (model.waivers ?? []).filter((w) => !sameClaim(w.claim, edit.claim)) };
    case 'rename':
      return renameInModel(model, edit.of, edit.to);
    default:
      return edit.do.startsWith('put-') ? put(model, edit as PutEdit) : remove(model, edit as RemoveEdit);
  }
}

/** Trials that ask by a role ask by its new name, unless another relationship still has the old one. */
function followRoles(before: Model, after: Model, old: string, role: string): Model {
  const others = (after.relationships ?? []).some((r) => r.role !== undefined && sameName(r.role, old));
  if (others) return after;
  const [was, is] = [before, after].map((model) => withRoles(model).roles);
  return was!
    .filter((r) => sameName(r.role, old))
    .reduce((model, { name, table }) => {
      const now = is!.find((r) => sameName(r.role, role) && sameName(r.table, table));
      return now ? renameRole(model, name, now.name) : model;
    }, after);
}

/**
 * Without a column, and without what cannot be without it: its place in the key and as the label, and the
 * relationships that start from it or lead to it. What only mentions it stays, and is broken.
 */
function withoutColumn(model: Model, tableName: string, column: string): Model {
  const isAt = (end: { table: string; columns: readonly string[] }): boolean =>
    sameName(end.table, tableName) && end.columns.some((c) => sameName(c, column));
  const without = onTable(model, tableName, ({ key, label, ...table }) => {
    const columns = table.columns.filter((c) => !sameName(c.name, column));
    if (columns.length === table.columns.length)
      throw new EditError(`there is no column ${tableName}.${column}`);
    const left = (key ?? []).filter((k) => !sameName(k, column));
    return {
      ...table,
      ...(left.length > 0 ? { key: left } : {}),
      ...(label !== undefined && !sameName(label, column) ? { label } : {}),
      columns,
    };
  });
  const relationships = (model.relationships ?? []).filter((r) => !isAt(r.from) && !isAt(r.to));
  return relationships.length === (model.relationships ?? []).length
    ? without
    : { ...without, relationships };
}

type Named = { name: string };

function put(model: Model, edit: PutEdit): Model {
  const collection = edit.do.slice('put-'.length) as Collection;
  const list = ((model[collection] as Named[] | undefined) ?? []).slice();
  const same = (item: Named, name: string) =>
    sameName(item.name, name) && sameHome(collection, item, edit.value);
  const at = edit.name === null ? -1 : list.findIndex((item) => same(item, edit.name!));
  if (edit.name !== null && at < 0)
    throw new EditError(
      `there is no "${edit.name}" among the ${collection} any more: somebody may have removed or renamed it`,
    );
  // A measure may share a name with another: that is a claim, not a refusal. Of the others, names tell them
  // apart.
  if (collection !== 'measures' && list.some((item, i) => i !== at && same(item, edit.value.name))) {
    throw new EditError(
      `the name "${edit.value.name}" is already used among the ${collection}: choose another`,
    );
  }
  if (at < 0) list.push(edit.value);
  else list[at] = edit.value;
  return { ...model, [collection]: list };
}

/** Hierarchies are named within their table, everything else within the model. */
const sameHome = (collection: Collection, a: Named, b: Named): boolean =>
  collection !== 'hierarchies' ||
  sameName((a as { table?: string }).table ?? '', (b as { table?: string }).table ?? '');

function remove(model: Model, edit: RemoveEdit): Model {
  const collection = edit.do.slice('remove-'.length) as Collection;
  const list = (model[collection] as Named[] | undefined) ?? [];
  const name = (item: Named) =>
    collection === 'hierarchies' ? `${(item as unknown as { table: string }).table}.${item.name}` : item.name;
  const at = list.findIndex((item) => sameName(name(item), edit.name));
  if (at < 0) throw new EditError(`there is no "${edit.name}" among the ${collection}`);
  return { ...model, [collection]: list.filter((_, i) => i !== at) };
}

function onTable(
  model: Model,
  name: string,
  change: (table: Model['tables'][number]) => Model['tables'][number],
): Model {
  return { ...model, tables: replaceNamed(model.tables, name, 'table ', change) };
}

function replaceNamed<T extends Named>(
  list: readonly T[],
  name: string,
  what: string,
  change: (item: T) => T,
): T[] {
  if (!list.some((item) => sameName(item.name, name))) throw new EditError(`there is no ${what}${name}`);
  let done = false;
  return list.map((item) => {
    if (done || !sameName(item.name, name)) return item;
    done = true;
    return change(item);
  });
}

/** The change; an empty text takes the field away. */
/** A model without the budget that an edit takes away. */
function withoutNull({
  budget,
  ...model
}: Omit<Model, 'budget'> & { budget?: Model['budget'] | null }): Model {
  return budget ? { ...model, budget } : model;
}

const cleared = <T extends object>(change: T): Partial<T> =>
  Object.fromEntries(Object.entries(change).map(([key, v]) => [key, v === '' ? undefined : v])) as Partial<T>;

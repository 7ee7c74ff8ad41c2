import { sameName } from './names.ts';
import { isShown, titleIn } from './perspectives.ts';
import type { PerspectivePart } from './perspectives.ts';
import type { Model, Perspective } from './schema.ts';

/**
 * The model as an audience sees it: the tables, columns, hierarchies, measures, listings and kept trials that
 * the perspective shows, under the titles that they have for it, and the relationships and calendars among
 * them. A table of which only columns are shown has these columns alone. Formulas stay as they are, so that
 * some name what is not seen: what is checked or worked out goes by the whole model.
 */
export function seenBy(model: Model, perspective: Perspective): Model {
  const titled = <T extends { name: string; title?: string | undefined }>(
    object: T,
    part: PerspectivePart,
    name = object.name,
  ): T => {
    const title = titleIn(perspective, part, name);
    return title === undefined ? object : { ...object, title };
  };
  const shown = (part: PerspectivePart, name: string) => isShown(perspective, part, name);
  const tables = model.tables.flatMap((table) => {
    const isWhole = shown('tables', table.name);
    const columns = table.columns
      .filter((c) => !c.hidden && (isWhole || shown('columns', `${table.name}.${c.name}`)))
      .map((c) => titled(c, 'columns', `${table.name}.${c.name}`));
    return isWhole || columns.length > 0 ? [{ ...titled(table, 'tables'), columns }] : [];
  });
  const sees = (table: string) => tables.some((t) => sameName(t.name, table));
  return {
    ...model,
    tables,
    ...only(model, 'relationships', (r) => sees(r.from.table) && sees(r.to.table)),
    ...only(model, 'calendars', (c) => sees(c.table)),
    ...(model.hierarchies
      ? {
          hierarchies: model.hierarchies
            .filter((h) => shown('hierarchies', `${h.table}.${h.name}`))
            .map((h) => titled(h, 'hierarchies', `${h.table}.${h.name}`)),
        }
      : {}),
    ...(model.measures
      ? {
          measures: model.measures
            .filter((m) => !m.hidden && shown('measures', m.name))
            .map((m) => titled(m, 'measures')),
        }
      : {}),
    ...(model.detailListings
      ? {
          detailListings: model.detailListings
            .filter((l) => shown('listings', l.name))
            .map((l) => titled(l, 'listings')),
        }
      : {}),
    ...(model.trials
      ? { trials: model.trials.filter((t) => shown('trials', t.name)).map((t) => titled(t, 'trials')) }
      : {}),
    perspectives: [perspective],
  };
}

/** One of the lists of a model with what passes, where it has the list. */
function only<Key extends 'relationships' | 'calendars'>(
  model: Model,
  key: Key,
  passes: (item: NonNullable<Model[Key]>[number]) => boolean,
): Partial<Model> {
  const list = model[key] as NonNullable<Model[Key]>[number][] | undefined;
  return list ? { [key]: list.filter(passes) } : {};
}

import type { AskedItem, MeasureItem, Model, Query } from '@crease/core/model';
import { ModelNames, splitPath } from '@crease/core/model';
import { attributesOf } from '../stages/trial/attributes.ts';
import { byTitles } from '../stages/trial/said.ts';

/** Something that readers may ask for, as it is listed to them. */
export interface Field {
  readonly key: string;
  readonly title: string;
  readonly description: string | undefined;
  readonly group: string;
  readonly item: { readonly measure: MeasureItem } | { readonly by: AskedItem };
}

/** All that readers may ask for, by groups: measures by their folders, attributes by table and hierarchy. */
export function fieldsOf(model: Model): Field[] {
  const names = new ModelNames(model);
  const said = byTitles(model);
  const measures = (model.measures ?? []).map((m): Field => ({
    key: `measure ${m.name}`,
    title: m.title ?? m.name,
    description: m.description,
    group: m.folder ?? 'Measures',
    item: { measure: m.name },
  }));
  const attributes = attributesOf(model).map(({ item, text }): Field => {
    if (typeof item === 'string') {
      const found = names.path(item);
      return {
        key: `by ${text}`,
        title: found?.column.title ?? found?.column.name ?? text,
        description: found?.column.description,
        group: said.table(found?.table.name ?? splitPath(item)?.[0] ?? ''),
        item: { by: item },
      };
    }
    const isLevel = 'level' in item;
    return {
      key: `by ${text}`,
      title: isLevel ? item.level : `Depth ${item.depth}`,
      description: undefined,
      group: said.hierarchy(item.hierarchy),
      item: { by: item },
    };
  });
  return [...measures, ...attributes];
}

/** Fields with a text in their title, description or group. */
export function foundFields(fields: readonly Field[], search: string): Field[] {
  const wanted = search.trim().toLowerCase();
  return fields.filter(({ title, description, group }) =>
    [title, description, group].join(' ').toLowerCase().includes(wanted),
  );
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Whether a question asks for a field. */
export const isAsked = ({ measures, by, across }: Query, field: Field): boolean => {
  const { item } = field;
  return 'measure' in item
    ? measures.some((m) => same(m, item.measure))
    : [...(by ?? []), ...(across ?? [])].some((one) => same(one, item.by));
};

/** The question with a field, or without one that it asked for. */
export function withField(query: Query, field: Field): Query {
  const { item } = field;
  const isThere = isAsked(query, field);
  if ('measure' in item)
    return {
      ...query,
      measures: isThere
        ? query.measures.filter((m) => !same(m, item.measure))
        : [...query.measures, item.measure],
      ...(isThere ? { sort: [] } : {}),
    };
  const without = (list: Query['by']) => list?.filter((one) => !same(one, item.by));
  return isThere
    ? { ...query, by: without(query.by), across: without(query.across), sort: [] }
    : { ...query, by: [...(query.by ?? []), item.by] };
}

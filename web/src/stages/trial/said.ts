import { useMemo } from 'react';
import type { AskedItem, MeasureItem, Model } from '@crease/core/model';
import { ModelNames } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { itemText, measureText } from './attributes.ts';

/** How a question is put into words: by names for the modeler, by titles for readers. */
export interface Said {
  readonly measure: (item: MeasureItem) => string;
  readonly item: (item: AskedItem) => string;
  /** A column written `table.column`. */
  readonly column: (path: string) => string;
  readonly table: (name: string) => string;
  /** A hierarchy written `table.name`. */
  readonly hierarchy: (path: string) => string;
}

export function useSaid(): Said {
  const { model, isReader } = useModel();
  return useMemo(() => (isReader ? byTitles(model) : byNames(model)), [model, isReader]);
}

const byNames = (model: Model): Said => ({
  measure: measureText,
  item: (item) => itemText(item, model),
  column: (path) => path,
  table: (name) => name,
  hierarchy: (path) => path,
});

/** In the titles that an audience has for things; what has none is called by its name. */
export function byTitles(model: Model): Said {
  const names = new ModelNames(model);
  const table = (name: string) => names.table(name)?.title ?? name;
  const column = (path: string) => {
    const found = names.path(path);
    return found ? `${table(found.table.name)}: ${found.column.title ?? found.column.name}` : path;
  };
  const hierarchy = (path: string) => {
    const found = names.hierarchy(path);
    return found ? `${table(found.table)}: ${found.title ?? found.name}` : path;
  };
  return {
    table,
    column,
    hierarchy,
    measure: (item) => {
      if (typeof item === 'string') return names.measure(item)?.title ?? item;
      return 'formula' in item
        ? item.name
        : `${item.aggregate ? `${item.aggregate} ` : ''}${column(item.column)}`;
    },
    item: (item) => {
      if (typeof item === 'string') return column(item);
      if ('formula' in item) return item.name;
      const title = hierarchy(item.hierarchy);
      return 'level' in item ? `${title}, ${item.level}` : `${title} at depth ${item.depth}`;
    },
  };
}

import { columnPath } from '@crease/core/formula';
import type { Edit } from '@crease/core/edit';
import type { Hierarchy, Measure, Model } from '@crease/core/model';

export type TextKind = 'model' | 'table' | 'column' | 'measure' | 'hierarchy';
export const TEXT_KINDS: readonly TextKind[] = ['model', 'table', 'column', 'measure', 'hierarchy'];
export type TextField = 'title' | 'description';
const TEXT_FIELDS: readonly TextField[] = ['title', 'description'];

/** What people read of one object. An empty text is none. */
export interface TextRow {
  readonly kind: TextKind;
  /** As selections write it: `loan.fine` of a column. */
  readonly name: string;
  readonly title: string;
  readonly description: string;
}

/** A text that is to be written. */
export interface TextChange {
  readonly row: TextRow;
  readonly field: TextField;
  readonly text: string;
}

interface Told {
  readonly title?: string | undefined;
  readonly description?: string | undefined;
}
const rowOf = (kind: TextKind, name: string, { title = '', description = '' }: Told): TextRow => ({
  kind,
  name,
  title,
  description,
});

/** All objects that have texts, in the order of the model, columns behind their table. */
export function textsOf(model: Model): TextRow[] {
  // Of measures that share a name the first is meant; that they do is a broken claim.
  const met = new Set<string>();
  const measures = (model.measures ?? []).filter(({ name }) => {
    const isFirst = !met.has(name.toLowerCase());
    met.add(name.toLowerCase());
    return isFirst;
  });
  return [
    rowOf('model', model.name, model),
    ...model.tables.flatMap((t) => [
      rowOf('table', t.name, t),
      ...t.columns.map((c) => rowOf('column', columnPath(t.name, c.name), c)),
    ]),
    ...measures.map((m) => rowOf('measure', m.name, m)),
    ...(model.hierarchies ?? []).map((h) => rowOf('hierarchy', columnPath(h.table, h.name), h)),
  ];
}

/** The edit that writes texts; those that stand already are passed over. */
export function editOfTexts(model: Model, changes: readonly TextChange[]): Edit {
  const byRow = new Map<string, TextChange[]>();
  for (const change of changes) {
    if (change.row[change.field] === change.text) continue;
    const key = `${change.row.kind}:${change.row.name}`;
    byRow.set(key, [...(byRow.get(key) ?? []), change]);
  }
  return [...byRow.values()].flatMap((of): Edit => {
    const { kind, name } = of[0]!.row;
    const change = Object.fromEntries(of.map(({ field, text }) => [field, text])) as Told;
    return changeOf(model, kind, name, change);
  });
}

function changeOf(model: Model, kind: TextKind, name: string, change: Told): Edit {
  // An empty text takes the field away.
  if (kind === 'model') return [{ do: 'set-model', change }];
  if (kind === 'table') return [{ do: 'set-table', table: name, change }];
  if (kind === 'column') {
    for (const t of model.tables)
      for (const c of t.columns)
        if (columnPath(t.name, c.name) === name)
          return [{ do: 'set-column', table: t.name, column: c.name, change }];
    return [];
  }
  if (kind === 'measure') {
    const measure = (model.measures ?? []).find((m) => m.name === name);
    return measure ? [{ do: 'put-measures', name, value: told(measure, change) }] : [];
  }
  const hierarchy = (model.hierarchies ?? []).find((h) => columnPath(h.table, h.name) === name);
  return hierarchy ? [{ do: 'put-hierarchies', name: hierarchy.name, value: told(hierarchy, change) }] : [];
}

/** The same with other texts. */
function told<T extends Measure | Hierarchy>(object: T, change: Told): T {
  const all = Object.entries({ ...object, ...change }).filter(
    ([key, value]) => !(TEXT_FIELDS as readonly string[]).includes(key) || value !== '',
  );
  return Object.fromEntries(all) as T;
}

/** Rows that hold all words searched for, of the kinds that are shown. */
export function matchingTexts(
  rows: readonly TextRow[],
  search: string,
  kind: TextKind | 'all',
  onlyWithout: boolean,
): TextRow[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((row) => {
    const text = `${row.name} ${row.title} ${row.description}`.toLowerCase();
    return (
      (kind === 'all' || row.kind === kind) &&
      !(onlyWithout && row.description !== '') &&
      words.every((word) => text.includes(word))
    );
  });
}

/** Cells of a piece of a spreadsheet: lines, and tabs between; a cell in quotes may hold both. */
export function cellsOf(text: string): string[][] {
  const rows: string[][] = [[]];
  let [cell, quoted] = ['', false];
  const end = () => {
    rows.at(-1)!.push(cell.trim());
    cell = '';
  };
  const source = text.replace(/\r\n?/g, '\n').replace(/\n$/, '');
  for (let i = 0; i < source.length; i++) {
    const c = source[i]!;
    if (quoted) {
      if (c !== '"') cell += c;
      else if (source[i + 1] === '"') cell += source[i++];
      else quoted = false;
    } else if (c === '"' && cell === '') quoted = true;
    else if (c === '\t') end();
    else if (c === '\n') {
      end();
      rows.push([]);
    } else cell += c;
  }
  end();
  return rows;
}

/**
 * What pasting cells at a field of a row writes: downwards over the rows that are shown, to the right over
 * the fields. `beyond` counts cells for which there is no place.
 */
export function pasted(
  shown: readonly TextRow[],
  at: number,
  field: TextField,
  cells: readonly (readonly string[])[],
): { changes: TextChange[]; beyond: number } {
  const changes: TextChange[] = [];
  let beyond = 0;
  const first = TEXT_FIELDS.indexOf(field);
  cells.forEach((line, down) =>
    line.forEach((text, right) => {
      const [row, to] = [shown[at + down], TEXT_FIELDS[first + right]];
      if (row && to) changes.push({ row, field: to, text });
      else beyond++;
    }),
  );
  return { changes, beyond };
}

/** A cell as spreadsheets take it between tabs. */
export const quotedCell = (text: string): string =>
  /["\t\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;

/** Rows as a spreadsheet takes them, with a header. */
export const sheetOf = (rows: readonly TextRow[]): string =>
  [['kind', 'name', 'title', 'description'], ...rows.map((r) => [r.kind, r.name, r.title, r.description])]
    .map((line) => line.map(quotedCell).join('\t'))
    .join('\n');

import type { Edit } from '@crease/core/edit';
import { csvLine, forSpreadsheet } from '@crease/core/interchange';
import type { Measure, Model } from '@crease/core/model';
import { formatSchema, sameName } from '@crease/core/model';
import { cellsOf, quotedCell } from '../../state/texts.ts';
import { grouped } from '../../parts/grouped.ts';
import type { Entry } from './catalog.ts';

// Measures as cells of a spreadsheet, to it and from it.

const FIELDS = ['name', 'title', 'table', 'formula', 'folder', 'description', 'hidden', 'format'] as const;
type Field = (typeof FIELDS)[number];

const cellOf = (entry: Entry, field: Field): string => {
  if (field === 'hidden') return entry.hidden ? 'yes' : '';
  if (field === 'format') return entry.format === undefined ? '' : JSON.stringify(entry.format);
  return entry[field];
};
const lines = (entries: readonly Entry[]): string[][] => [
  [...FIELDS],
  ...entries.map((entry) => FIELDS.map((field) => cellOf(entry, field))),
];

/** Cells with tabs between, as spreadsheets take them. */
export const sheetOfEntries = (entries: readonly Entry[]): string =>
  lines(entries)
    .map((line) => line.map(quotedCell).join('\t'))
    .join('\n');

/** A CSV file (RFC 4180). */
export const csvOfEntries = (entries: readonly Entry[]): string =>
  lines(entries)
    .map((line) => csvLine(line.map(forSpreadsheet)))
    .join('');

/** A document of Markdown: a section of each folder, formulas as code. */
export function markdownOfEntries(title: string, entries: readonly Entry[]): string {
  const groups = grouped(entries, (entry) => entry.folder || 'no folder');
  const sections = [...groups].map(([folder, list]) => {
    const parts = list.map((entry) => {
      const about = [
        entry.title === '' ? '' : `*${entry.title}*`,
        entry.table === '' ? '' : `of ${entry.table}`,
        entry.hidden ? 'hidden' : '',
      ].filter(Boolean);
      return [
        `### ${entry.name}`,
        ...(about.length > 0 ? [about.join(', ')] : []),
        ...(entry.description === '' ? [] : [entry.description]),
        `\`\`\`\n${entry.formula}\n\`\`\``,
      ].join('\n\n');
    });
    return [`## ${folder}`, ...parts].join('\n\n');
  });
  return `${[`# Measures of ${title}`, ...sections].join('\n\n')}\n`;
}

/** What pasting cells would do. */
export interface PastedMeasures {
  readonly edit: Edit;
  readonly added: readonly string[];
  readonly changed: readonly string[];
  /** Lines that cannot be taken, counted from 1, each with the reason. */
  readonly refused: readonly { readonly line: number; readonly why: string }[];
}

/**
 * Reads measures from cells: the first line names the fields, or the fields stand in the order in which they
 * are copied. A measure that is there gets the fields that the cells have; an empty cell takes a field away,
 * but not a name or a formula. Columns without a known heading are passed over.
 */
export function pastedMeasures(model: Model, text: string): PastedMeasures {
  const cells = cellsOf(text).filter((line) => line.some((cell) => cell !== ''));
  const heads = (cells[0] ?? []).map((cell) => cell.toLowerCase());
  const hasHead = heads.includes('name') && heads.some((head) => head !== 'name' && isField(head));
  const fields = hasHead ? heads : FIELDS.slice(0, Math.max(...cells.map((line) => line.length), 0));
  const edit: Edit = [];
  const [added, changed]: [string[], string[]] = [[], []];
  const refused: { line: number; why: string }[] = [];
  const met = new Set<string>();
  cells.slice(hasHead ? 1 : 0).forEach((line, i) => {
    const at = i + (hasHead ? 2 : 1);
    const read = new Map(fields.flatMap((field, p) => (isField(field) ? [[field, line[p]] as const] : [])));
    const name = read.get('name') ?? '';
    const known = (model.measures ?? []).find((m) => sameName(m.name, name));
    const made = measureOf(known, name, read);
    if (typeof made === 'string') refused.push({ line: at, why: made });
    else if (met.has(name.toLowerCase())) refused.push({ line: at, why: `${name} stands twice` });
    else if (JSON.stringify(made) !== JSON.stringify(known)) {
      edit.push({ do: 'put-measures', name: known?.name ?? null, value: made });
      (known ? changed : added).push(name);
    }
    met.add(name.toLowerCase());
  });
  return { edit, added, changed, refused };
}

const isField = (text: string): text is Field => (FIELDS as readonly string[]).includes(text);

/** The measure with what the cells say; a text says why there is none. */
function measureOf(
  known: Measure | undefined,
  name: string,
  read: ReadonlyMap<Field, string | undefined>,
): Measure | string {
  if (name === '') return 'it has no name';
  if (name.length > 200) return 'its name has more than 200 characters';
  const formula = read.get('formula') || known?.formula;
  if (formula === undefined) return `${name} is new and has no formula`;
  const made: Measure = { ...known, name: known?.name ?? name, formula };
  for (const field of ['title', 'table', 'folder', 'description'] as const) {
    const cell = read.get(field);
    if (cell === undefined) continue;
    if (cell === '') delete made[field];
    else made[field] = cell;
  }
  const hidden = read.get('hidden');
  if (hidden !== undefined) {
    if (!/^(|yes|no|true|false|0|1)$/i.test(hidden)) return `hidden is yes or nothing, not "${hidden}"`;
    if (/^(yes|true|1)$/i.test(hidden)) made.hidden = true;
    else delete made.hidden;
  }
  const format = read.get('format');
  if (format === '') delete made.format;
  else if (format !== undefined) {
    const parsed = formatOf(format);
    if (!parsed) return `"${format}" is no format: write it as { "decimals": 2 }`;
    made.format = parsed;
  }
  return made;
}

function formatOf(text: string): Measure['format'] {
  try {
    const parsed = formatSchema.safeParse(JSON.parse(text));
    return parsed.success ? parsed.data : undefined;
  } catch {
    return undefined; // no JSON: the caller says what it should be
  }
}

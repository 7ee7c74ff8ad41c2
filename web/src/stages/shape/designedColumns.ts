import type { ModelColumn } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { formatType, parseType } from '@crease/core/values';

const USES: readonly NonNullable<ModelColumn['use']>[] = ['key', 'reference', 'attribute', 'quantity'];

/**
 * Columns that are written one a line: the name, the type, the use and a description, parted by tabs, by
 * commas or by spaces; a name or a description in quotes may hold any of them. What is left out is text, and
 * an attribute. A first line of headings is passed over.
 */
export function designedColumns(text: string): { columns: ModelColumn[]; faults: string[] } {
  const columns: ModelColumn[] = [];
  const faults: string[] = [];
  text.split(/\r?\n/).forEach((line, i) => {
    const [name, ...rest] = cellsOf(line);
    if (
      name === undefined ||
      (columns.length === 0 &&
        /^(column|name|column name)$/i.test(name) &&
        /^(data ?)?type$/i.test(rest[0] ?? ''))
    )
      return;
    const fault = (says: string) => void faults.push(`line ${i + 1}: ${says}`);
    if (columns.some((c) => sameName(c.name, name))) return fault(`a second column ${name}`);
    let [type, length]: [string, number | undefined] = ['text', undefined];
    if (rest[0] !== undefined && !USES.some((u) => u === rest[0]!.toLowerCase())) {
      const written = rest.shift()!;
      const sized = /^(?:text|(?:n?var)?char)\s*\((\d+)\)$/i.exec(written);
      const known = sized ? undefined : parseType(ALSO[written.toLowerCase()] ?? written.toLowerCase());
      if (sized) length = Number(sized[1]);
      else if (known) type = formatType(known);
      else return fault(`"${written}" is no type`);
    }
    const use = USES.find((u) => u === rest[0]?.toLowerCase());
    if (use) rest.shift();
    const description = rest.join(' ').trim();
    columns.push({
      name,
      type,
      ...(length === undefined ? {} : { length }),
      use: use ?? (type.startsWith('decimal') || type === 'double' ? 'quantity' : 'attribute'),
      ...(description === '' ? {} : { description }),
    });
  });
  return { columns, faults };
}

/** Other words for types. */
const ALSO: Readonly<Record<string, string>> = {
  int: 'integer',
  bigint: 'integer',
  string: 'text',
  varchar: 'text',
  float: 'double',
  bool: 'boolean',
  datetime: 'timestamp',
};

/** Cells of a line; within brackets a comma parts nothing, such as that of `decimal(9,2)`. */
function cellsOf(line: string): string[] {
  const cell = line.includes('\t') ? /"([^"]*)"|([^\t]+)/g : /"([^"]*)"|((?:[^\s,"(]|\([^)]*\))+)/g;
  return [...line.matchAll(cell)].map((m) => (m[1] ?? m[2]!).trim()).filter((text) => text !== '');
}

import fc from 'fast-check';
import { columnValues } from '../columns/index.ts';
import { previewFile, readTable } from '../reading/index.ts';
import { TEXT } from '../values/index.ts';
import { csvLine } from './index.ts';
import { cases } from '../../../tools/cases.ts';

const dialects = fc.record({
  delimiter: fc.constantFrom(',', ';', '\t', '|'),
  bom: fc.boolean(),
  lastEnd: fc.boolean(),
});
/**
 * Texts with all that may go wrong: quotes, delimiters, line ends, blanks, other scripts. Null and the empty
 * text are one in a file.
 */
const cells = fc.oneof(
  fc.string({ unit: 'binary' }),
  fc.string({ unit: fc.constantFrom('"', ',', ';', '\t', '|', '\n', '\r', ' ', 'a', 'é', '1') }),
);
const cell = cells.filter((s) => s.isWellFormed() && s !== '' && !s.includes('\0'));

test('what is written as delimited text is read as it was', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 2, max: 5 }),
      fc.array(fc.array(cell, { minLength: 5, maxLength: 5 }), { minLength: 1, maxLength: 20 }),
      dialects,
      (width, all, how) => {
        const rows = all.map((row) => row.slice(0, width));
        const names = Array.from({ length: width }, (_, i) => `c${i}`);
        const text = [names, ...rows].map((row) => csvLine(row, how.delimiter)).join('');
        const bytes = new TextEncoder().encode(
          (how.bom ? '\uFEFF' : '') + (how.lastEnd ? text : text.replace(/\n$/, '')),
        );
        const dialect = {
          delimiter: how.delimiter,
          quote: '"',
          header: true,
          encoding: 'utf-8' as const,
          newline: '\n' as const,
        };
        const columns = names.map((name) => ({ name, type: TEXT }));
        const table = readTable({ table: 't', dialect, nulls: [''], columns }, bytes);
        const read = names.map((name) => {
          const column = table.columns.get(name)!;
          return Array.from(column.codes, (code) => columnValues(column)[code]);
        });
        expect(table.problems).toEqual([]);
        expect(rows.map((_, r) => read.map((column) => column[r]))).toEqual(rows);
      },
    ),
    { numRuns: cases(120) },
  );
});

test('whatever bytes come, a preview shows them or says why not, and every record is read or listed', () => {
  const bytes = fc.oneof(
    fc.uint8Array({ minLength: 1, maxLength: 400 }),
    fc
      .string({
        unit: fc.constantFrom('a', '1', ',', ';', '"', '\n', '\r', ' ', '.', '\uFFFD'),
        minLength: 1,
        maxLength: 200,
      })
      .map((s) => new TextEncoder().encode(s)),
  );
  fc.assert(
    fc.property(bytes, (file) => {
      let preview: ReturnType<typeof previewFile>;
      try {
        preview = previewFile(file, true);
      } catch (error) {
        // A fault for the person, never one of the program.
        expect((error as Error).constructor.name).toBe('ReadError');
        return;
      }
      const columns = preview.columns.map((c) => ({
        name: c.name,
        fileName: c.fileName,
        place: c.place,
        type: c.type,
        ...(c.pattern ? { pattern: c.pattern } : {}),
      }));
      if (columns.length === 0) return;
      const table = readTable(
        { table: 't', dialect: preview.dialect, fields: columns.length, nulls: [...preview.nulls], columns },
        file,
      );
      expect(table.rowCount).toBe(preview.rows);
      expect(table.problems.map((p) => p.line)).toEqual(preview.problems.map((p) => p.line));
    }),
    // A header with quotes in the middle of a name, which close and open nothing.
    { numRuns: cases(250), examples: [[new TextEncoder().encode('""a""\na')]] },
  );
});

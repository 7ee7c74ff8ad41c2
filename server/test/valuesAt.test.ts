import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import type { DataType, Value } from '@crease/core/values';
import { BOOLEAN, DATE, decimal, DOUBLE, INTEGER, TEXT } from '@crease/core/values';
import type { Column, KeepCodes } from '@crease/core/columns';
import {
  codesArray,
  columnOfValues,
  combineColumns,
  encodeSegment,
  inFewestBytes,
} from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import { Models, openWorkspace, Tables } from '../src/store/index.ts';
import { StoredColumns } from '../src/store/storedColumns.ts';
import { cases as drawn } from '../../tools/cases.ts';

// Rows behind a number are a page of many million: no dictionary of all of them is made for it.

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-values-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const SEGMENT = 4;

const KINDS: readonly (readonly [DataType, fc.Arbitrary<Value>])[] = [
  [INTEGER, fc.integer({ min: -5, max: 5 })],
  [INTEGER, fc.oneof(fc.integer(), fc.constant(9007199254740993n))],
  [decimal(9, 2), fc.integer({ min: -99_999, max: 99_999 })],
  [DOUBLE, fc.double({ noNaN: true, noDefaultInfinity: true }).map((value) => value + 0)],
  [TEXT, fc.string({ unit: 'grapheme', maxLength: 5 })],
  [BOOLEAN, fc.boolean()],
  [DATE, fc.integer({ min: 0, max: 30_000 })],
];

const cases = fc.constantFrom(...KINDS).chain(([type, value]) =>
  fc.record({
    type: fc.constant(type),
    parts: fc.array(fc.array(fc.option(value), { minLength: 1, maxLength: 20 }), {
      minLength: 1,
      maxLength: 3,
    }),
    picks: fc.array(fc.nat(), { minLength: 1, maxLength: 8 }),
  }),
);

/** Stores the values of parts in segments of a few rows, and reads them again. */
function stored(type: DataType, parts: readonly (readonly Value[])[], keep: boolean, whole: number): Column {
  const db = openWorkspace(join(folder, 'w.sqlite'));
  const kept: KeepCodes | undefined = keep ? (_, make) => () => make(codesArray) : undefined;
  const tables = new Tables(db);
  const model: Model = { crease: 1, name: 'small', tables: [{ name: 'loan', role: 'fact', columns: [] }] };
  const id = new Models(db).create(model, 'began');
  const made = parts.map((values, n) => {
    const column = columnOfValues('a', type, values);
    const facts = { rowCount: values.length, problems: [], firstLine: 1, lines: undefined };
    const table = tables.begin(id, 'loan.csv', facts, { part: `part ${n}` });
    const segments = Array.from({ length: Math.ceil(values.length / SEGMENT) }, (_, k) =>
      encodeSegment(column.codes.slice(k * SEGMENT, (k + 1) * SEGMENT)),
    );
    const { nulls, distinct, runs, padded } = column;
    tables.addColumn(table, 0, {
      ...{ name: 'a', type, nulls, distinct, runs, padded },
      ...inFewestBytes(type, column.encodedDomain(), segments),
      counts: undefined,
    });
    tables.finish(table, new Map(), { part: `part ${n}` });
    return [table, values.length] as const;
  });
  const columns = new StoredColumns(db, kept, whole);
  return combineColumns(
    'a',
    made.map(([table, rows]) => columns.read(columns.of(table)[0]!, rows)),
  );
}

test('the values of some rows are those that were stored, in any order, of every type', () => {
  fc.assert(
    fc.property(cases, fc.boolean(), fc.constantFrom(0, 100), ({ type, parts, picks }, keep, whole) => {
      const all = parts.flat();
      const rows = picks.map((pick) => pick % all.length);
      expect(stored(type, parts, keep, whole).valuesAt(rows)).toEqual(rows.map((row) => all[row]));
    }),
    { numRuns: drawn(150) },
  );
});

test('neither the codes nor the common dictionary of all parts are made for the values of some rows', () => {
  const made = stored(
    TEXT,
    [
      ['Pascoe', 'Saltmarsh', 'Averley'],
      ['Thornbury', 'Pascoe'],
    ],
    true,
    0,
  );
  const fail = (what: string) => ({
    get: () => {
      throw new Error(`${what} of all rows were made`);
    },
  });
  Object.defineProperties(made, { domain: fail('values'), codes: fail('codes') });
  expect(made.valuesAt([4, 0, 1])).toEqual(['Pascoe', 'Pascoe', 'Saltmarsh']);
});

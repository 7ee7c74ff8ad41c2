import fc from 'fast-check';
import type { TableData } from '../columns/index.ts';
import {
  candidateSizes,
  columnOfValues,
  encodeDomain,
  encodeSegments,
  sizesOfSegments,
  tableOf,
} from '../columns/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import type { Value } from '../values/index.ts';
import { INTEGER, parseType, TEXT } from '../values/index.ts';
import { adviceOn, columnBytes, profileModel } from './index.ts';

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'f',
      role: 'fact',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'd', type: 'integer' },
        { name: 'at', type: 'timestamp' },
        { name: 'said', type: 'text' },
        { name: 'q', type: 'integer', use: 'quantity' },
      ],
    },
    {
      name: 'd',
      role: 'dimension',
      key: ['id'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'town', type: 'text' },
        { name: 'land', type: 'text' },
      ],
    },
    { name: 'raw', role: 'staging', columns: [{ name: 'x', type: 'text' }] },
  ],
  relationships: [{ name: 'fd', from: { table: 'f', columns: ['d'] }, to: { table: 'd', columns: ['id'] } }],
  hierarchies: [
    {
      name: 'H',
      table: 'd',
      levels: [
        { name: 'Land', column: 'land' },
        { name: 'Town', column: 'town' },
      ],
    },
  ],
};
const N = 3000;
const rows: Record<string, Record<string, Value[]>> = {
  f: {
    id: Array.from({ length: N }, (_, i) => i),
    d: Array.from({ length: N }, (_, i) => i % 7),
    at: Array.from(
      { length: N },
      (_, i) => (i * 86_400_000_000) / 100 + ((i * 7919 * 1_000_000) % 60_000_000),
    ),
    said: Array.from({ length: N }, (_, i) => `note ${(i * 7919) % 100_003}`),
    q: Array.from({ length: N }, () => 5),
  },
  d: {
    id: [0, 1, 2, 3, 4, 5, 6],
    town: ['a', 'b', 'c', 'd', 'e', 'f', 'g'],
    land: ['N', 'N', 'N', 'S', 'S', 'S', 'S'],
  },
  raw: { x: ['y'] },
};
const tables = new Map<string, TableData>(
  model.tables.map((t) => [
    t.name,
    tableOf(
      t.name,
      t.columns.map((c) => columnOfValues(c.name, parseType(c.type)!, rows[t.name]![c.name]!)),
    ),
  ]),
);
const data = new ModelData(model, (name) => tables.get(name)!, 0);
const profile = profileModel(data);

test('every total is the sum of its parts, and staging is not held', () => {
  expect(profile.tables.map((t) => t.name)).toEqual(['f', 'd']);
  for (const t of profile.tables) {
    expect(t.dataBytes).toBe(t.columns.reduce((n, c) => n + c.dataBytes, 0));
    expect(t.dictionaryBytes).toBe(t.columns.reduce((n, c) => n + c.dictionaryBytes, 0));
    expect(t.totalBytes).toBe(t.dataBytes + t.dictionaryBytes + t.relationshipBytes + t.hierarchyBytes);
    for (const c of t.columns) expect(c.totalBytes).toBe(c.dataBytes + c.dictionaryBytes);
  }
  expect(profile.tables.reduce((n, t) => n + t.share, 0)).toBeCloseTo(1);
  expect(profile.tables.find((t) => t.name === 'f')!.relationshipBytes).toBe(profile.relationships[0]!.bytes);
  expect(profile.tables.find((t) => t.name === 'd')!.hierarchyBytes).toBe(profile.hierarchies[0]!.bytes);
});

test('bytes are those of the encoding that is written', () => {
  fc.assert(
    fc.property(
      fc.array(fc.option(fc.integer({ min: 0, max: 1000 })), { minLength: 1, maxLength: 200 }),
      (values) => {
        const column = columnOfValues('c', INTEGER, values);
        const size = columnBytes(column);
        expect(size.dataBytes).toBe(encodeSegments(column.codes).reduce((n, s) => n + s.bytes.length, 0));
        expect(size.dataBytes).toBe(candidateSizes(column.codes)[0]!.bytes);
        expect(sizesOfSegments(column.codes)).toEqual([candidateSizes(column.codes)]);
        expect(size.dictionaryBytes).toBe(
          column.domain.kind === 'range' ? 0 : encodeDomain(column.domain, INTEGER).length,
        );
      },
    ),
  );
});

test('a constant column costs next to nothing, and says so', () => {
  const q = profile.tables[0]!.columns.find((c) => c.name === 'q')!;
  expect(q).toMatchObject({ distinct: 1, runs: 1, dataBytes: 4, encoding: 'integers+constant' });
});

test('advice is measured: split moments, and leave out what nothing uses', () => {
  const advice = adviceOn(data);
  const split = advice.find((a) => a.column === 'f.at' && a.change === 'split date and time')!;
  expect(split.afterBytes).toBeLessThan(split.beforeBytes);
  expect(advice.find((a) => a.column === 'f.said')).toMatchObject({
    change: 'leave the column out',
    afterBytes: 0,
  });
  expect(advice.some((a) => a.column === 'f.id')).toBe(false);
});

test('texts with like beginnings share them in the dictionary', () => {
  const near = columnOfValues(
    't',
    TEXT,
    Array.from({ length: 64 }, (_, i) => `the same long beginning ${i}`),
  );
  const plain = Array.from({ length: 64 }, (_, i) => `the same long beginning ${i}`).join('').length;
  expect(columnBytes(near).dictionaryBytes).toBeLessThan(plain / 2);
});

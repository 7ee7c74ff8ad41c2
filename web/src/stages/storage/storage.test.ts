import type { ColumnProfile, Profile, TableProfile } from '@crease/core/storage';
import { profileDocument } from '@crease/core/storage';
import { bytesTyped } from './bytesTyped.ts';
import {
  CHANGE,
  columnsCsv,
  HEADS,
  listedColumns,
  matchingColumns,
  PARQUET,
  sortedColumns,
} from './columnList.ts';
import type { Segment } from './ruler.ts';
import {
  drawnSegments,
  leastSays,
  lengthOf,
  marksOf,
  scaleOf,
  segmentsOf,
  thicknessOf,
  THICKEST,
  THINNEST,
} from './ruler.ts';
import { readProfile } from './readProfile.ts';

const column = (name: string, dataBytes: number, dictionaryBytes = 0, more: Partial<ColumnProfile> = {}) =>
  ({
    name,
    type: 'integer',
    distinct: 10,
    nulls: 0,
    runs: 50,
    encoding: 'integers+packed',
    held: [{ encoding: 'packed', segments: 1, bytes: dataBytes }],
    alternatives: [{ encoding: 'packed', bytes: dataBytes }],
    dataBytes,
    dictionaryBytes,
    totalBytes: dataBytes + dictionaryBytes,
    share: 0.1,
    valueBits: 3,
    runBits: 4,
    stepBits: null,
    leastBits: 3,
    usedBy: [],
    ...more,
  }) satisfies ColumnProfile;

const table = (name: string, rows: number, columns: ColumnProfile[], more: Partial<TableProfile> = {}) => {
  const own = columns.reduce((n, c) => n + c.totalBytes, 0);
  const { relationshipBytes = 0, hierarchyBytes = 0 } = more;
  return {
    name,
    role: 'fact',
    derived: false,
    rows,
    segments: 1,
    dataBytes: own,
    dictionaryBytes: 0,
    relationshipBytes,
    hierarchyBytes,
    totalBytes: own + relationshipBytes + hierarchyBytes,
    share: 1,
    columns,
    ...more,
  } satisfies TableProfile;
};

const loan = table('loan', 1000, [column('copies', 500), column('at', 1000, 2000)], {
  relationshipBytes: 125,
});
const tiny = table('tiny', 4, [column('name', 10, 500)]);
const profile: Profile = {
  tables: [loan, tiny],
  relationships: [],
  hierarchies: [],
  totalBytes: loan.totalBytes + tiny.totalBytes,
};

test('a ruler is as long as the bits of one row, and its area is the bytes', () => {
  const segments = segmentsOf(loan);
  expect(segments.map((s) => [s.name, s.bits])).toEqual([
    ['at', 24],
    ['copies', 4],
    ['references to other tables', 1],
  ]);
  expect((lengthOf(segments) * loan.rows) / 8).toBe(loan.totalBytes);
  for (const s of segments) expect(s.codes + s.dictionary).toBeCloseTo(s.bits);
  // The dictionary is no waste, nor what the values need.
  expect(segments[0]).toMatchObject({ least: 3, codes: 8, dictionary: 16 });
});

test('what is too narrow to be hit is drawn as one, and nothing of the length is lost', () => {
  const many: Segment[] = Array.from({ length: 40 }, (_, i) => ({
    kind: 'column',
    name: `c${i}`,
    bits: i === 0 ? 100 : 0.1,
    least: 0.05,
    codes: 0.1,
    dictionary: 0,
    bytes: 1,
  }));
  const drawn = drawnSegments(many, 1);
  expect(drawn.map((s) => s.name)).toEqual(['c0', '39 more']);
  expect(lengthOf(drawn)).toBeCloseTo(lengthOf(many));
  expect(drawnSegments(many.slice(0, 2), 1).map((s) => s.name)).toEqual(['c0', 'c1']);
});

test('the scale is that of the tables that weigh, thickness goes by the rows, marks by powers of two', () => {
  // A handful of rows of long names would press all others together.
  const heavy = table('heavy', 100_000, [column('x', 400_000)]);
  expect(scaleOf([heavy, tiny])).toBe(32);
  expect(scaleOf([tiny])).toBe(1020);
  expect(scaleOf([])).toBe(8);
  expect([thicknessOf(1000, 1000), thicknessOf(1, 1_000_000)]).toEqual([THICKEST, THINNEST]);
  expect(marksOf(127)).toEqual([0, 16, 32, 48, 64, 80, 96, 112]);
  expect(marksOf(8)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8]);
});

test('the least is named by what bounds it', () => {
  const c = { leastBits: 2, valueBits: 3, runBits: 4, stepBits: null };
  expect(leastSays({ ...c, valueBits: 2 })).toBe('how often its values occur');
  expect(leastSays({ ...c, runBits: 2 })).toBe('its stretches of equal values');
  expect(leastSays({ ...c, stepBits: 2 })).toBe('the distances from row to row');
  expect(leastSays({ ...c, given: { column: 'branch', bits: 2 } })).toBe('what branch leaves open');
  expect(leastSays({ ...c, leastBits: 1 })).toBe('what it takes as it is held');
});

test('the list of columns is searched by name, type, way of holding and use, and sorted both ways', () => {
  const used = table('loan', 1000, [
    column('copies', 500, 0, { usedBy: ['measure Copies'] }),
    column('at', 1000, 2000, { type: 'text', encoding: 'dictionary+delta' }),
  ]);
  const all = listedColumns({ ...profile, tables: [used, tiny] }, undefined);
  const names = (list: typeof all) => list.map((c) => c.path);
  expect(names(matchingColumns(all, 'measure cop'))).toEqual(['loan.copies']);
  expect(names(matchingColumns(all, 'TEXT delta'))).toEqual(['loan.at']);
  expect(names(sortedColumns(all, HEADS, 'bytes'))).toEqual(['loan.at', 'tiny.name', 'loan.copies']);
  expect(names(sortedColumns(all, HEADS, '-bytes'))).toEqual(['loan.copies', 'tiny.name', 'loan.at']);
  expect(names(sortedColumns(all, HEADS, 'column'))).toEqual(['loan.at', 'loan.copies', 'tiny.name']);
  expect(names(sortedColumns(all, HEADS, 'no such head'))).toEqual(names(sortedColumns(all, HEADS, 'bytes')));
  const [head, first] = columnsCsv(sortedColumns(all, HEADS, 'bytes'), HEADS).split('\n');
  expect(head).toMatch(/^column,type,bytes,share,bits a row,.*,used by$/);
  expect(first).toMatch(/^loan.at,text,3000,0.1,24,/);
});

test('beside another profile, each column has its change', () => {
  const before = profileDocument(
    { ...profile, tables: [table('Loan', 900, [column('COPIES', 400)])] },
    { name: 'm' },
    { at: '2026-05-17T10:00:00.000Z', formulas: false },
  );
  const all = listedColumns(profile, before);
  expect(all.map((c) => [c.path, CHANGE.of(c), c.before])).toEqual([
    ['loan.copies', 100, 400],
    ['loan.at', 3000, undefined],
    ['tiny.name', 510, undefined],
  ]);
});

test('beside Parquet, each stored column has its bytes there and what it takes here as a share', () => {
  const all = listedColumns(profile, undefined, { 'loan.copies': 1000, 'loan.at': 1500 });
  const [bytes, ratio] = PARQUET;
  expect(all.map((c) => [c.path, bytes!.of(c), ratio!.of(c)])).toEqual([
    ['loan.copies', 1000, 0.5],
    ['loan.at', 1500, 2],
    ['tiny.name', 0, 0],
  ]);
});

test('a profile from a file is read as it was handed on, and anything else is refused in words', () => {
  const document = profileDocument(
    profile,
    { name: 'm' },
    { at: '2026-05-17T10:00:00.000Z', formulas: true },
  );
  expect(readProfile(JSON.stringify(document), 'p.json')).toEqual(document);
  expect(() => readProfile('no json', 'p.json')).toThrow(/p.json is no JSON/);
  expect(() => readProfile('{"creaseProfile": 2}', 'p.json')).toThrow(/p.json is no profile to hand on/);
});

test('bytes as they are typed', () => {
  const typed = ['200 MB', '1.5GB', '1,5 gb', '4096', '12k', '7 kb', '0', '-1', 'MB', '', 'ten', '1 XB'];
  expect(typed.map(bytesTyped)).toEqual([
    200e6,
    1.5e9,
    1.5e9,
    4096,
    12_000,
    7000,
    undefined,
    undefined,
    undefined,
    undefined,
    undefined,
    undefined,
  ]);
});

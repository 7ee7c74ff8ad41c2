import fc from 'fast-check';
import { parseType } from '../values/index.ts';
import { cellsOf, cellsOfMembers, membersOf } from './index.ts';

test('a list pasted from a spreadsheet becomes members of the types that it shows', () => {
  const cells = cellsOf(
    'Fund\tSince\tShare\tOpen\nBooks\t03.01.2020\t1.250,50\ttrue\nMaps\t17.11.2021\t3,00\tfalse\n\nMusic\t\t0,25\t\n',
  );
  const { columns, members, mended } = membersOf(cells);
  expect(columns.map((c) => [c.name, c.type])).toEqual([
    ['Fund', 'text'],
    ['Since', 'date'],
    ['Share', 'decimal(8,2)'],
    ['Open', 'boolean'],
  ]);
  expect(members).toEqual([
    { Fund: 'Books', Since: '2020-01-03', Share: '1250.50', Open: true },
    { Fund: 'Maps', Since: '2021-11-17', Share: '3.00', Open: false },
    { Fund: 'Music', Share: '0.25' },
  ]);
  expect(mended).toEqual([]);
});

test('a type that is said shows what is not of it; names are mended', () => {
  const { columns, members, mended } = membersOf(
    [
      ['no', '', 'no'],
      ['1', 'a', 'x'],
      ['two', '', 'y'],
    ],
    new Map([[0, parseType('integer')!]]),
  );
  expect(columns.map((c) => [c.name, c.type, c.misfits])).toEqual([
    ['no', 'integer', [1]],
    ['column_2', 'text', []],
    ['no_2', 'text', []],
  ]);
  expect(members).toEqual([{ no: 1, column_2: 'a', no_2: 'x' }, { no_2: 'y' }]);
  expect(mended).toHaveLength(2);
});

test('a type that is said is read in the way in which most are written', () => {
  const { columns, members } = membersOf(
    [['share'], ['1.250,50'], ['3,00'], ['much']],
    new Map([[0, parseType('decimal(9,2)')!]]),
  );
  expect(columns[0]!.misfits).toEqual([2]);
  expect(members).toEqual([{ share: '1250.50' }, { share: '3.00' }, {}]);
});

test('cells of quotes, line ends and short rows are read as they stand', () => {
  expect(cellsOf('a;b\n"x;y";"1\n2"\nz')).toEqual([
    ['a', 'b'],
    ['x;y', '1\n2'],
    ['z', ''],
  ]);
  expect(cellsOf('')).toEqual([['']]);
});

test('members that are shown again as cells give the same members', () => {
  const cell = fc.oneof(
    fc.constantFrom('', 'a', 'Élan', '7', '-12', '2026-01-05', 'true'),
    fc.integer().map(String),
  );
  fc.assert(
    fc.property(fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 12 }), (rows) => {
      const once = membersOf([['x', 'y'], ...rows]);
      const said = new Map(once.columns.map((c, place) => [place, parseType(c.type)!] as const));
      const again = membersOf(cellsOfMembers(once.columns, once.members), said);
      expect(again.members).toEqual(once.members.filter((m) => Object.keys(m).length > 0));
      expect(again.columns.map((c) => c.type)).toEqual(once.columns.map((c) => c.type));
    }),
    { numRuns: 200 },
  );
});

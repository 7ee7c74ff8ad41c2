import { formatType } from '../values/index.ts';
import { previewFile } from './index.ts';
import { guessNearly } from './typing.ts';

// Files as they are exported: headers of years, titles, quotes of another kind, dates and amounts of all
// sorts.

const preview = (text: string) => previewFile(new TextEncoder().encode(text), true);
const columns = (text: string) =>
  preview(text).columns.map((c) => `${c.name} ${formatType(c.type)}${c.pattern ? ` ${c.pattern}` : ''}`);

test.each<[what: string, text: string, columns: string[], rows: number]>([
  [
    'years as names beside a name',
    'country,2001,2002,2003\nAsh,1.5,2.5,3.5\nElm,4.5,5.5,6.5\n',
    ['country text', '2001 decimal(4,1)', '2002 decimal(4,1)', '2003 decimal(4,1)'],
    2,
  ],
  [
    'no header: numbers that go on below',
    'a,1,2\nb,2,3\nc,3,4\n',
    ['column_1 text', 'column_2 integer', 'column_3 integer'],
    3,
  ],
  [
    'a title and blank lines above',
    'Loans of the quarter\n\nprinted 2026-01-02\n\nbranch;loans\nNorth;12\nSouth;13\nEast;7\n',
    ['branch text', 'loans integer'],
    3,
  ],
  [
    'two header lines: groups of columns above their names',
    ',2024,,2025,\nbranch,loans,fines,loans,fines\nNorth,12,1.50,13,2.50\nSouth,4,0.75,5,0.25\n',
    [
      'branch text',
      '2024 loans integer',
      '2024 fines decimal(5,2)',
      '2025 loans integer',
      '2025 fines decimal(5,2)',
    ],
    2,
  ],
  [
    'a blank name is no group',
    'id,,name\n1,x,Ann\n2,y,Bo\n',
    ['id integer', 'column_2 text', 'name text'],
    2,
  ],
  [
    'no header: signs above signs',
    ':book:,📖\n:house:,🏠\n:tree:,🌳\n',
    ['column_1 text', 'column_2 text'],
    3,
  ],
  ['a blank line first', '\nbranch,loans\nNorth,12\nSouth,13\n', ['branch text', 'loans integer'], 2],
  [
    'single quotes',
    "'id','name'\n1,'Smith, Ann'\n2,'O''Hara, Cy'\n3,'Dent, Al'\n",
    ['id integer', 'name text'],
    3,
  ],
  ['an apostrophe is no quote', "id,name\n1,O'Hara\n2,D'Arc\n", ['id integer', 'name text'], 2],
  [
    'names that repeat or are blank',
    'id,amount,amount,\n1,2,3,x\n2,3,4,y\n',
    ['id integer', 'amount integer', 'amount_2 integer', 'column_4 text'],
    2,
  ],
])('%s', (_what, text, expected, rows) => {
  expect(columns(text)).toEqual(expected);
  expect(preview(text)).toMatchObject({ rows, problems: [] });
});

test('days that could be read in two ways say so, and follow others of their file', () => {
  const [alone] = preview('lent\n01/02/2024\n03/04/2024\n').columns;
  expect(alone).toMatchObject({ pattern: 'dd/MM/yyyy', alsoFits: 'MM/dd/yyyy' });
  expect(alone!.reason).toContain('no day is above 12');
  const both = preview('lent,due\n01/02/2024,12/31/2024\n03/04/2024,02/14/2024\n').columns;
  expect(both.map((c) => c.pattern)).toEqual(['MM/dd/yyyy', 'MM/dd/yyyy']);
  expect(both[0]!.reason).toContain('others in this file');
  // Days of ISO 8601 beside tell nothing.
  const beside = preview('lent,due\n01/02/2024,2024-12-31\n03/04/2024,2024-02-14\n').columns;
  expect(beside[0]).toMatchObject({ pattern: 'dd/MM/yyyy', alsoFits: 'MM/dd/yyyy' });
});

test('monthly figures are days of one in each month, not twelve days of one month', () => {
  const months = Array.from({ length: 14 }, (_, i) => `${(i % 12) + 1}/1/${2023 + Math.floor(i / 12)}`);
  const [month] = preview(`month\n${months.join('\n')}\n`).columns;
  expect(month).toMatchObject({ pattern: 'M/d/yyyy' });
  expect(month!.alsoFits).toBeUndefined();
  expect(month!.reason).toContain('one day of each month');
});

test('what stands above the header is told, and the columns are still found by their own names', () => {
  const {
    mended,
    columns: found,
    dialect,
  } = preview('Loans,,Fines,\nbranch,n,branch,sum\nA,1,B,2\nC,3,D,4\n');
  expect(dialect).toMatchObject({ header: true, skip: 1 });
  expect(mended[0]).toContain('(Loans, Fines)');
  expect(found.map((c) => [c.name, c.fileName, c.place])).toEqual([
    ['Loans branch', 'branch', 0],
    ['Loans n', 'n', 1],
    ['Fines branch', 'branch', 2],
    ['Fines sum', 'sum', 3],
  ]);
});

test('a few numbers are days where the name says so', () => {
  expect(columns('service,date\nA,20170704\nB,20170904\n')).toEqual(['service text', 'date date yyyyMMdd']);
  expect(columns('service,no\nA,20170704\nB,20170904\n')).toEqual(['service text', 'no integer']);
});

const counted = (texts: readonly string[]) => texts.map((text) => ({ text, rows: 1 }));
const days = Array.from({ length: 40 }, (_, i) => `2024-01-${String((i % 28) + 1).padStart(2, '0')}`);

test('a column of nearly all days is one of days; what does not fit is counted', () => {
  const nearly = guessNearly(counted([...new Set(days), 'n/a']));
  expect(nearly).toMatchObject({ type: { kind: 'date' }, pattern: 'yyyy-MM-dd' });
  expect(nearly.reason).toContain('in 28 of 29 rows');
  expect(guessNearly(counted([...new Set(days), '2024-02-31'])).type.kind).toBe('date');
  expect(guessNearly(counted([...new Set(days), 'a', 'b', 'c'])).type.kind).toBe('text');
});

test('whole numbers beside other texts are codes, beside what is not known they are numbers', () => {
  const numbers = Array.from({ length: 60 }, (_, i) => String(i + 1));
  expect(guessNearly(counted([...numbers, '12a'])).type.kind).toBe('text');
  expect(guessNearly(counted([...numbers, 'unknown'])).type.kind).toBe('integer');
});

test('counts of seconds or milliseconds since 1970 are moments where the name says so', () => {
  const seconds = counted(Array.from({ length: 30 }, (_, i) => String(1_700_000_000 + i * 3600)));
  expect(guessNearly(seconds, 'created_at')).toMatchObject({
    type: { kind: 'timestamp' },
    pattern: 'epoch seconds',
  });
  expect(guessNearly(seconds, 'barcode').type.kind).toBe('integer');
  const millis = counted(Array.from({ length: 30 }, (_, i) => String(1_700_000_000_123 + i * 3600)));
  expect(guessNearly(millis, 'event time').pattern).toBe('epoch milliseconds');
  expect(guessNearly(counted(['1', '2', '3', '4', '5']), 'time').type.kind).toBe('integer');
});

test('numbers that a program printed of binary fractions are doubles, exact ones decimals', () => {
  const printed = ['0.30000000000000004', '33.333333333333336', '0.1', '12.5'];
  expect(guessNearly(counted(printed)).type.kind).toBe('double');
  expect(guessNearly(counted(['0.000012345678901234', '2.5'])).type.kind).toBe('double');
  const exact = ['1.123456789012345678', '2.000000000000000001'];
  expect(guessNearly(counted(exact)).type).toMatchObject({ kind: 'decimal', scale: 18 });
  expect(guessNearly(counted(['1.25', '3.50'])).type).toMatchObject({ kind: 'decimal', scale: 2 });
});

import fc from 'fast-check';
import {
  add,
  addMonths,
  civilFromDays,
  compareText,
  datePattern,
  daysFromCivil,
  decimal,
  divideRounded,
  formatDate,
  formatExact,
  formatTimestamp,
  fromJson,
  INTEGER,
  isoWeek,
  isoWeekday,
  multiply,
  nearestName,
  numberText,
  parseExact,
  parseType,
  formatType,
  rescale,
  roundDouble,
  subtract,
  textReader,
  TIMESTAMP,
  toJson,
} from './index.ts';

const whole = fc.bigInt({ min: -(10n ** 30n), max: 10n ** 30n });
const exact = (value: bigint) => (Number.isSafeInteger(Number(value)) ? Number(value) : value);

test('whole numbers are added, subtracted and multiplied exactly, however large', () => {
  fc.assert(
    fc.property(whole, whole, (a, b) => {
      expect(BigInt(add(exact(a), exact(b)))).toBe(a + b);
      expect(BigInt(subtract(exact(a), exact(b)))).toBe(a - b);
      expect(BigInt(multiply(exact(a), exact(b)))).toBe(a * b);
    }),
  );
});

test('decimals are written and read back with all their digits', () => {
  fc.assert(
    fc.property(whole, fc.integer({ min: 0, max: 12 }), (value, scale) => {
      const text = formatExact(exact(value), scale);
      const parsed = parseExact(text)!;
      expect(BigInt(rescale(parsed.value, parsed.scale, scale))).toBe(value);
    }),
  );
});

test('halves are rounded away from zero, on both sides', () => {
  expect([
    divideRounded(25, 10),
    divideRounded(-25, 10),
    divideRounded(24, 10),
    divideRounded(-26, 10),
  ]).toEqual([3, -3, 2, -3]);
  expect([roundDouble(2.5, 0), roundDouble(-2.5, 0), roundDouble(1.005, 2), roundDouble(1234, -2)]).toEqual([
    3, -3, 1.01, 1200,
  ]);
});

test('days and dates are each other’s inverse, and agree with the platform', () => {
  fc.assert(
    fc.property(fc.integer({ min: -700_000, max: 700_000 }), (days) => {
      const { year, month, day } = civilFromDays(days);
      expect(daysFromCivil(year, month, day)).toBe(days);
      const date = new Date(days * 86_400_000);
      expect([year, month, day]).toEqual([date.getUTCFullYear(), date.getUTCMonth() + 1, date.getUTCDate()]);
      expect(isoWeekday(days)).toBe(((date.getUTCDay() + 6) % 7) + 1);
    }),
  );
});

test.each([
  ['2024-12-30', 2025, 1],
  ['2026-01-01', 2026, 1],
  ['2027-01-01', 2026, 53],
  ['2023-01-01', 2022, 52],
])('%s lies in ISO week %i-%i', (text, year, week) => {
  expect(isoWeek(datePattern('yyyy-MM-dd')!.parseDate(text)!)).toEqual({ year, week });
});

test('a day that the month lacks becomes its last', () => {
  expect(formatDate(addMonths(daysFromCivil(2024, 3, 31), -1))).toBe('2024-02-29');
  expect(formatDate(addMonths(daysFromCivil(2024, 2, 29), 12))).toBe('2025-02-28');
});

test.each([
  ['dd.MM.yyyy', '31.12.2025', '2025-12-31'],
  ['M/d/yyyy', '3/7/2025', '2025-03-07'],
  ['yyyyMMdd', '20240229', '2024-02-29'],
  ['dd.MM.yyyy', '29.02.2025', undefined],
  ['yyyy-MM-dd', '2025-1-1', undefined],
])('pattern %s reads %s as %s', (pattern, text, expected) => {
  const days = datePattern(pattern)!.parseDate(text);
  expect(days === undefined ? undefined : formatDate(days)).toBe(expected);
});

test('a pattern may hold literal text, and is none without a year, a month and a day', () => {
  expect(
    formatTimestamp(datePattern("yyyy-MM-dd'T'HH:mm:ss.SSS")!.parseTimestamp('2026-01-02T03:04:05.250')!),
  ).toBe('2026-01-02T03:04:05.25');
  expect(datePattern('HH:mm')).toBeUndefined();
});

test('timestamps beyond the safe range stay exact', () => {
  const value = textReader(TIMESTAMP)('0001-01-01 00:00:00')!;
  expect(typeof value).toBe('bigint');
  expect(toJson(value, TIMESTAMP)).toBe('0001-01-01T00:00:00');
});

test.each(['integer', 'decimal(9,2)', 'double', 'text', 'boolean', 'date', 'timestamp'])(
  '%s is read and written as a type',
  (text) => {
    expect(formatType(parseType(text)!)).toBe(text);
  },
);

test.each(['money', 'decimal(2,3)', 'decimal(99,2)', ''])('%s is no type', (text) => {
  expect(parseType(text)).toBeUndefined();
});

test('values survive JSON; digits that the type cannot hold make no member', () => {
  expect(toJson(9007199254740993n, INTEGER)).toBe('9007199254740993');
  expect(fromJson('9007199254740993', INTEGER)).toBe(9007199254740993n);
  expect(fromJson('1.25', decimal(5, 2))).toBe(125);
  expect(fromJson(1.255, decimal(5, 2))).toBeUndefined();
  expect(fromJson('x', INTEGER)).toBeUndefined();
});

test('text is ordered by code point and near names are found', () => {
  expect(['é', 'Z', 'a', '10', '9'].sort(compareText)).toEqual(['10', '9', 'Z', 'a', 'é']);
  expect(nearestName('brnach', ['loan', 'branch', 'batch'])).toBe('branch');
  expect(nearestName('xyz', ['loan', 'branch'])).toBeUndefined();
});

test('numbers in sentences have their thousands parted as the locale data of English does', () => {
  const english = new Intl.NumberFormat('en');
  fc.assert(
    fc.property(fc.oneof(fc.maxSafeInteger(), fc.integer(), fc.double({ noNaN: true })), (n) => {
      expect(numberText(n)).toBe(Object.is(n, -0) ? '0' : english.format(n));
    }),
  );
  expect([0, -0, 999, 1000, -1234567].map(numberText)).toEqual(['0', '0', '999', '1,000', '-1,234,567']);
});

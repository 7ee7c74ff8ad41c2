import fc from 'fast-check';
import { DATE, formatDate, formatTimestamp, textReader, TIMESTAMP } from './index.ts';
import {
  datePattern,
  decimal,
  fixedLayout,
  fixedReader,
  guessNumberPattern,
  INTEGER,
  splitTimestamp,
  unitFormat,
} from './index.ts';

const day = (pattern: string, text: string): string | undefined => {
  const value = textReader(DATE, { pattern })(text);
  return value === undefined ? undefined : formatDate(value as number);
};
const moment = (pattern: string, text: string): string | undefined => {
  const value = textReader(TIMESTAMP, { pattern })(text);
  return value === undefined ? undefined : formatTimestamp(value as number);
};

test.each<[string, string, string | undefined]>([
  ['M/d/yy', '3/7/24', '2024-03-07'],
  ['dd.MM.yy', '07.03.69', '1969-03-07'],
  ['dd.MM.yy', '07.03.68', '2068-03-07'],
  ['d MMM yyyy', '28 May 2025', '2025-05-28'],
  ['d-MMM-yy', '28-May-25', '2025-05-28'],
  ['MMM d yyyy', 'Jan 1 2000', '2000-01-01'],
  ['MMM d, yyyy', 'December 31, 1999', '1999-12-31'],
  ['d. MMM yyyy', '3. März 2024', '2024-03-03'],
  ['d MMM yyyy', '14 août 2023', '2023-08-14'],
  ['d MMM yyyy', '14 févr. 2023', '2023-02-14'],
  ['d MMM yyyy', '2 enero 2023', '2023-01-02'],
  ['d MMM yyyy', '2 giugno 2023', '2023-06-02'],
  ['d MMM yyyy', '2 mei 2023', '2023-05-02'],
  ['d MMM yyyy', '31 Feb 2023', undefined],
  ['d MMM yyyy', '3 Brumaire 2023', undefined],
  ['yyyy-MM', '2025-05', '2025-05-01'],
  ['MMM yyyy', 'May 2025', '2025-05-01'],
  ["YYYY-'W'ww", '2025-W07', '2025-02-10'],
  ["YYYY-'W'ww", '2020-W53', '2020-12-28'],
  ["YYYY-'W'ww", '2021-W53', undefined],
  ["YYYY-'W'ww", '2026-W01', '2025-12-29'],
  ['yyyyMMdd', '20240229', '2024-02-29'],
])('the day of %s in %s is %s', (pattern, text, expected) => {
  expect(day(pattern, text)).toBe(expected);
});

test.each<[string, string, string | undefined]>([
  ['M/d/yyyy h:mm a', '3/7/2024 12:05 AM', '2024-03-07T00:05:00'],
  ['M/d/yyyy h:mm a', '3/7/2024 12:05 p.m.', '2024-03-07T12:05:00'],
  ['M/d/yyyy h:mm a', '3/7/2024 13:05 PM', undefined],
  ['yyyy-MM-ddTHH:mm:ssXXX', '2024-03-07T10:00:00Z', '2024-03-07T10:00:00'],
  ['yyyy-MM-ddTHH:mm:ssXXX', '2024-03-07T01:00:00+02:00', '2024-03-06T23:00:00'],
  ['yyyy-MM-ddTHH:mm:ssXXX', '2024-03-07T23:30:00-0530', '2024-03-08T05:00:00'],
])('the moment of %s in %s is %s', (pattern, text, expected) => {
  const found = moment(pattern, text);
  expect(found?.replace(' ', 'T').replace(/\.0+$/, '')).toBe(expected);
});

test.each(['dd', 'yyyy-ww', 'YYYY-MM-dd', 'yyyy-MM-dd yy', 'yyyy-MM-dd h:mm', 'HH:mm'])(
  '%s is no pattern of a day',
  (text) => {
    expect(datePattern(text)).toBeUndefined();
  },
);

test.each<[string, string, number | string | undefined]>([
  ['$0', '$1,234.50', 123450],
  ['$0', '-$5', -500],
  ['$0', '$-5', -500],
  ['0 €', '3.25 €', 325],
  ['0%', '45%', 4500],
  ['0;(0)', '(3.00)', -300],
  ['$0;(0)', '($3.00)', -300],
  ['$0', '€5', undefined],
  ['$0', 'five', undefined],
])('written as %s, %s is %s hundredths', (pattern, text, expected) => {
  expect(textReader(decimal(9, 2), { pattern, thousands: ',' })(text)).toBe(expected);
});

test('the pattern of numbers with a unit is found, in one currency only', () => {
  expect(guessNumberPattern(['$1', '$2.50', '-$3'])).toBe('$0');
  expect(guessNumberPattern(['12 %', '7 %'])).toBe('0 %');
  expect(guessNumberPattern(['1.50', '(2.00)'])).toBe('0;(0)');
  expect(guessNumberPattern(['$1', '€2'])).toBeUndefined();
  expect(guessNumberPattern(['A1', 'B2'])).toBeUndefined();
  expect(guessNumberPattern(['USD 1', 'USD 2'])).toBe('USD0');
  expect(unitFormat('0 %')).toEqual({ format: { unit: '%' } });
  expect(unitFormat('yyyy-MM-dd')).toEqual({});
  expect(textReader(INTEGER, { pattern: '0%' })('45%')).toBe(45);
});

test('moments counted from 1970 are whole numbers or fractions of their unit', () => {
  const seconds = datePattern('epoch seconds')!;
  const millis = datePattern('epoch milliseconds')!;
  expect(seconds.parseTimestamp('1717171717')).toBe(1_717_171_717_000_000);
  expect(seconds.parseTimestamp('1717171717.25')).toBe(1_717_171_717_250_000);
  expect(seconds.parseTimestamp('-1.5')).toBe(-1_500_000);
  expect(millis.parseTimestamp('1717171717001')).toBe(1_717_171_717_001_000);
  expect(millis.parseTimestamp('1.5')).toBe(1_500);
  expect(millis.parseDate('86400000')).toBe(1);
  for (const wrong of ['', 'x', '1 2', '9999999999999999', '1e9'])
    expect(seconds.parseTimestamp(wrong)).toBeUndefined();
  expect(fixedLayout('epoch seconds')).toBeUndefined();
});

test('what is read of a fixed layout from bytes is what the pattern reads from the text', () => {
  const patterns = [
    'yyyy-MM-dd HH:mm:ss',
    'dd.MM.yyyyTHH:mm',
    'yyyy/MM/dd HH:mm:ss.SSS',
    'yyyyMMdd',
    'yyyy-MM',
  ];
  const digits = (most: number) => fc.integer({ min: 0, max: most }).map((n) => String(n).padStart(2, '0'));
  const parts = fc.record({
    yyyy: fc.integer({ min: 0, max: 9999 }).map((n) => String(n).padStart(4, '0')),
    MM: digits(13),
    dd: digits(32),
    HH: digits(25),
    mm: digits(61),
    ss: digits(61),
    SSS: fc.integer({ min: 0, max: 999 }).map((n) => String(n).padStart(3, '0')),
    spoiled: fc.option(fc.nat(30), { freq: 9 }),
  });
  fc.assert(
    fc.property(fc.constantFrom(...patterns), fc.array(parts, { maxLength: 8 }), (pattern, drawn) => {
      const layout = fixedLayout(pattern);
      // A day is the first of its month where none is written: only readers of text know that.
      if (pattern === 'yyyy-MM') return expect(layout).toBeUndefined();
      const moment = { days: 0, micros: 0 };
      const read = fixedReader(layout!, moment);
      for (const { spoiled, ...of } of drawn) {
        const plain = pattern.replace(/yyyy|MM|dd|HH|mm|SSS|ss/g, (part) => of[part as 'dd']);
        const text = spoiled === null ? plain : `${plain.slice(0, spoiled)}x${plain.slice(spoiled + 1)}`;
        const bytes = new TextEncoder().encode(text);
        const value = datePattern(pattern)!.parseTimestamp(text);
        expect(read(bytes, bytes.length)).toBe(value !== undefined);
        if (value !== undefined) expect(moment).toEqual(splitTimestamp(value));
      }
    }),
  );
});

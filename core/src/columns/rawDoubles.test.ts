import fc from 'fast-check';
import { DOUBLE } from '../values/index.ts';
import {
  codesOfRawDoubles,
  columnOfValues,
  encodeDomain,
  encodeSegment,
  holdsRawDoubles,
  inFewestBytes,
  rankDoubles,
} from './index.ts';
import { cases } from '../../../tools/cases.ts';

const doubles = fc.array(
  fc.option(
    fc.oneof(
      fc.double({ noNaN: true, noDefaultInfinity: true }),
      fc.constantFrom(0, -0, 1.5, -1.5, 5e-324, 1e300, -2e-300),
      fc.integer(),
    ),
  ),
  { maxLength: 400 },
);
const plain = (value: number | null) => (value === 0 ? 0 : value);

test('doubles are ranked as a sort would, 0 and -0 being one value, nulls apart', () => {
  fc.assert(
    fc.property(doubles, (values) => {
      const { domain, codes } = rankDoubles(Float64Array.from(values, (v) => v ?? NaN));
      const sorted = [...new Set(values.filter((v) => v !== null).map((v) => plain(v)!))].sort(
        (a, b) => a - b,
      );
      expect(domain.kind === 'list' && Array.from(domain.values)).toEqual(sorted);
      expect(Array.from(codes, (code) => (code === 0 ? null : sorted[code - 1]))).toEqual(values.map(plain));
    }),
    { numRuns: cases(300) },
  );
});

test('a column rests in the fewer bytes, and its doubles come back from their segments', () => {
  fc.assert(
    fc.property(doubles, (given) => {
      const column = columnOfValues('reading', DOUBLE, given.map(plain));
      const domain = encodeDomain(column.domain, DOUBLE);
      const cut = Math.floor(given.length / 2);
      const segments = [column.codes.slice(0, cut), column.codes.slice(cut)]
        .filter((s) => s.length > 0)
        .map(encodeSegment);
      const resting = inFewestBytes(DOUBLE, domain, segments);
      const bytes = (of: { domain: Uint8Array; segments: readonly { bytes: Uint8Array }[] }) =>
        of.segments.reduce((sum, s) => sum + s.bytes.length, of.domain.length);
      const list = column.domain.kind === 'list';
      expect(bytes(resting)).toBe(
        Math.min(bytes({ domain, segments }), list ? 1 + given.length * 8 : Infinity),
      );
      if (!holdsRawDoubles(resting.domain)) return;
      const back = codesOfRawDoubles(resting.segments, given.length);
      expect(back.codes).toEqual(column.codes);
      expect(back.domain.kind === 'list' && Array.from(back.domain.values)).toEqual(
        column.domain.kind === 'list' && Array.from(column.domain.values),
      );
    }),
    { numRuns: cases(300) },
  );
  const unique = columnOfValues(
    'reading',
    DOUBLE,
    Array.from({ length: 500 }, (_, k) => Math.sin(k)),
  );
  const resting = inFewestBytes(DOUBLE, encodeDomain(unique.domain, DOUBLE), [encodeSegment(unique.codes)]);
  expect(resting.segments.map(({ encoding, rows }) => [encoding, rows])).toEqual([['doubles', 500]]);
  expect(() => codesOfRawDoubles(resting.segments, 499)).toThrow('segments of 500 doubles for 499 rows');
});

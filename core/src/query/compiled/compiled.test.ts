import fc from 'fast-check';
import type { Expression, Field, ScanPlan, ScanResult } from './plan.ts';
import { NULL_INTEGER } from './plan.ts';
import { isHashed, runCompiled } from './runCompiled.ts';
import { runPlain } from './runPlain.ts';
import { rowsOfGroup } from './scanParts.ts';
import { cases } from '../../../../tools/cases.ts';
import { expectSame } from '../../../../tools/same.ts';

/** Groups in ascending order, with what belongs to each. */
function sorted(result: ScanResult): unknown {
  const order = [...result.groups.keys()].sort((a, b) => result.groups[a]! - result.groups[b]!);
  return order.map((k) => ({
    group: result.groups[k],
    rows: result.rows[k],
    fields: result.fields.map((field) => {
      if (field.kind === 'codes') return field.codes[k];
      return field.kind === 'counts'
        ? field.counts[k]
        : [field.counts[k], field.counts[k] === 0 ? null : field.sums[k]];
    }),
  }));
}

/** What group each row is in, whatever places the groups have. */
const groupOfRows = (result: ReturnType<typeof runPlain>): number[] =>
  Array.from(result.places!, (place) => (place < 0 ? -1 : result.groups[place]!));

const WIDTHS = [Uint8Array, Uint16Array, Uint32Array] as const;

/**
 * Plans over a few hundred rows: inputs of each width, probes with and without tables, every kind of field
 * and operation.
 */
const plans = (sizes: 'few' | 'many'): fc.Arbitrary<ScanPlan> =>
  fc
    .record({
      rowCount: fc.integer({ min: 0, max: 300 }),
      seed: fc.integer({ min: 1, max: 1 << 30 }),
      widths: fc.array(fc.constantFrom(0, 1, 2), { minLength: 1, maxLength: 4 }),
      probes: fc.integer({ min: 0, max: 3 }),
      fields: fc.integer({ min: 0, max: 5 }),
    })
    .map(({ rowCount, seed, widths, probes, fields }) => {
      const random = pseudoRandom(seed);
      const below = (n: number) => Math.floor(random() * n);
      const codes = 12;
      const inputs = widths.map((w) => new WIDTHS[w]!(rowCount).map(() => below(codes)));
      const input = () => below(inputs.length);
      const chance = (share: number) => random() < share;
      const tableOf = <T>(make: () => T): T[] => Array.from({ length: codes }, make);
      let size = 1;
      const made = Array.from({ length: probes }, () => {
        const mapped = chance(0.7);
        const width = mapped ? 1 + below(sizes === 'many' ? 1000 : 5) : codes;
        const rejects = mapped && chance(0.5);
        const adds = Int32Array.from(tableOf(() => (rejects && chance(0.4) ? -1 : below(width))));
        const stride = size;
        size *= width;
        return {
          input: input(),
          ...(mapped ? { adds } : {}),
          width,
          stride,
          passes: mapped ? adds.filter((a) => a >= 0).length / codes : 1,
        };
      });
      const operand = (): Expression => {
        switch (below(3)) {
          case 0:
            return { kind: 'integer', input: input(), first: below(100) - 50, nullable: true };
          case 1:
            return {
              kind: 'integer',
              input: input(),
              values: BigInt64Array.from(
                tableOf(() =>
                  chance(0.2) ? NULL_INTEGER : BigInt(below(2 ** 31)) * BigInt(below(1000) - 500),
                ),
              ),
              first: 0,
              nullable: true,
            };
          default:
            return { kind: 'integer-constant', value: BigInt(below(100) - 50) };
        }
      };
      const whole = (depth: number): Expression =>
        depth === 0 || chance(0.4)
          ? operand()
          : {
              kind: 'integer-operation',
              operator: (['+', '-', '*'] as const)[depth > 1 ? below(2) : below(3)]!,
              left: whole(depth - 1),
              right: whole(0),
            };
      const double = (depth: number): Expression => {
        switch (depth === 0 ? below(3) : below(5)) {
          case 0:
            return {
              kind: 'double',
              input: input(),
              values: Float64Array.from(tableOf(() => (chance(0.2) ? NaN : random() - 0.5))),
              nullable: true,
            };
          case 1:
            return { kind: 'double-constant', value: [0, -1.5, 1e300][below(3)]! };
          case 2:
            return {
              kind: 'to-double',
              operand: { kind: 'integer', input: input(), first: 1, nullable: true },
              divisor: 100,
            };
          case 3:
            return { kind: 'quotient', left: double(depth - 1), right: double(depth - 1) };
          default:
            return {
              kind: 'double-operation',
              operator: (['+', '-', '*'] as const)[below(3)]!,
              left: double(depth - 1),
              right: double(depth - 1),
            };
        }
      };
      const field = (): Field => {
        const only = chance(0.3)
          ? { only: { input: input(), passes: Uint8Array.from(tableOf(() => below(2))) } }
          : {};
        const mapped = chance(0.5) ? { codes: Uint32Array.from(tableOf(() => below(20))) } : {};
        switch (below(sizes === 'many' ? 6 : 7)) {
          case 0:
            return { kind: 'rows', ...only };
          case 1:
            return {
              kind: 'filled',
              input: input(),
              ...only,
              ...(chance(0.5) ? { filled: Uint8Array.from(tableOf(() => below(2))) } : {}),
            };
          case 2:
            return { kind: 'least', input: input(), ...mapped, ...only };
          case 3:
            return { kind: 'greatest', input: input(), ...mapped, ...only };
          case 4:
            return { kind: 'sum', of: whole(2), ...only };
          case 5:
            return { kind: 'sum', of: double(2), ...only };
          default:
            return { kind: 'distinct', input: input(), ...mapped, width: 20, ...only };
        }
      };
      return { rowCount, inputs, probes: made, size, fields: Array.from({ length: fields }, field) };
    });

/** Numerical Recipes' quick generator: only its repeatability matters here. */
function pseudoRandom(seed: number): () => number {
  let state = seed >>> 0;
  return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
}

test.each(['few', 'many'] as const)(
  'code made for a plan says what the plain executor says, with %s combinations',
  (sizes) => {
    let hashed = 0;
    fc.assert(
      fc.property(plans(sizes), (plan) => {
        if (plan.size > 1 << 20) hashed++;
        const [plain, compiled] = [runPlain(plan, { groups: true }), runCompiled(plan, { groups: true })];
        expectSame(sorted(compiled), sorted(plain));
        expectSame(groupOfRows(compiled), groupOfRows(plain));
        expectSame(sorted(runCompiled(plan)), sorted(plain));
        if (isHashed(plan)) return;
        const groupOf = groupOfRows(plain);
        for (const group of plain.groups.slice(0, 5))
          expect([...rowsOfGroup(plan, group)]).toEqual(
            [...groupOf.keys()].filter((row) => groupOf[row] === group),
          );
      }),
      { numRuns: cases(200) },
    );
    expect(hashed > 0).toBe(sizes === 'many');
  },
);

test.each([0, 1, 1000])(
  'a count of all of %i rows needs none of them, and says what the others say',
  (rowCount) => {
    const plan: ScanPlan = {
      ...{ rowCount, inputs: [], probes: [], size: 1 },
      fields: [{ kind: 'rows' }, { kind: 'rows' }],
    };
    expect(runCompiled(plan)).toEqual(runPlain(plan));
    const { places, ...read } = runCompiled(plan, { groups: true });
    expect(places).toHaveLength(rowCount);
    expect(runCompiled(plan)).toEqual(read);
  },
);

const ROWS = 200_000;

test('groups are numbered anew while their table grows, over many blocks of rows', () => {
  const ids = Uint32Array.from({ length: ROWS }, (_, row) => Math.imul(row, 2654435761) >>> 8);
  const half = Uint8Array.from({ length: ROWS }, (_, row) => row % 2);
  const plan: ScanPlan = {
    rowCount: ROWS,
    inputs: [ids, half],
    probes: [
      { input: 0, width: 1 << 24, stride: 1, passes: 1 },
      { input: 1, adds: Int32Array.of(0, 1), width: 2, stride: 1 << 24, passes: 1 },
    ],
    size: 1 << 25,
    fields: [{ kind: 'sum', of: { kind: 'integer', input: 1, first: 7, nullable: true } }],
  };
  const compiled = runCompiled(plan, { groups: true });
  expect(compiled.groups.length).toBeGreaterThan(150_000);
  // As texts: comparing so many objects one by one takes seconds.
  const text = (result: ScanResult) =>
    JSON.stringify(sorted(result), (_, value: unknown) =>
      typeof value === 'bigint' ? String(value) : value,
    );
  expect(text(compiled) === text(runPlain(plan))).toBe(true);
  expect(Array.from(compiled.places!.subarray(0, 3), (place) => compiled.groups[place])).toEqual([
    ids[0],
    ids[1]! + (1 << 24),
    ids[2],
  ]);
});

test.each([
  ['few rows pass', 100],
  ['half of the rows pass', 2],
])('a condition of which %s leaves out the others', (_, every) => {
  const codes = Uint16Array.from({ length: ROWS }, (__, row) => row % 1000);
  const adds = Int32Array.from({ length: 1000 }, (__, code) => (code % every === 0 ? code % 3 : -1));
  const probe = { input: 0, adds, width: 3, stride: 1, passes: 1 / every };
  const plan: ScanPlan = {
    rowCount: ROWS,
    inputs: [codes],
    probes: [probe],
    size: 3,
    fields: [{ kind: 'greatest', input: 0 }],
  };
  const { groups, rows, fields } = runCompiled(plan);
  const passing = Array.from({ length: 1000 }, (__, code) => code).filter((code) => code % every === 0);
  expect([...groups]).toEqual([0, 1, 2]);
  expect([...rows]).toEqual(
    [0, 1, 2].map((g) => (passing.filter((code) => code % 3 === g).length * ROWS) / 1000),
  );
  expect(fields).toEqual([
    {
      kind: 'codes',
      codes: Uint32Array.from([0, 1, 2], (g) => Math.max(...passing.filter((code) => code % 3 === g))),
    },
  ]);
});

test('sums of whole numbers are exact beyond doubles', () => {
  const codes = new Uint8Array(1001).fill(1);
  codes[1000] = 2;
  const values = BigInt64Array.of(NULL_INTEGER, 2n ** 52n, 1n);
  const plan: ScanPlan = {
    rowCount: 1001,
    inputs: [codes],
    probes: [],
    size: 1,
    fields: [{ kind: 'sum', of: { kind: 'integer', input: 0, values, first: 0, nullable: false } }],
  };
  expect(runCompiled(plan).fields).toEqual([
    { kind: 'sums', counts: Float64Array.of(1001), sums: BigInt64Array.of(1000n * 2n ** 52n + 1n) },
  ]);
});

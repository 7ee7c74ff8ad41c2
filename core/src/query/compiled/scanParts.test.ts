import fc from 'fast-check';
import type { Field, ScanPlan } from './plan.ts';
import { NULL_INTEGER } from './plan.ts';
import { runCompiled, workOn } from './runCompiled.ts';
import { helpScansWith, mergedScans, partOf, rowsOfGroup, runHelped } from './scanParts.ts';
import { expectSame } from '../../../../tools/same.ts';
import { cases } from '../../../../tools/cases.ts';

const ROWS = 3000;
const fields: readonly Field[] = [
  { kind: 'rows' },
  { kind: 'filled', input: 1 },
  { kind: 'least', input: 1 },
  { kind: 'greatest', input: 1 },
  { kind: 'sum', of: { kind: 'integer', input: 1, first: 5, nullable: true } },
  {
    kind: 'sum',
    of: {
      kind: 'integer',
      input: 1,
      values: BigInt64Array.from([NULL_INTEGER, 7n, -3n, 2n ** 40n]),
      first: 0,
      nullable: true,
    },
  },
  { kind: 'rows', only: { input: 1, passes: Uint8Array.of(0, 1, 0, 1) } },
];

/** A plan over two columns: one that groups, some of whose codes are left out, and one that is added up. */
const planOf = (seed: number, groups: number, list: readonly Field[]): ScanPlan => {
  let state = seed + 1;
  const below = (n: number) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * n);
  };
  const member = Uint16Array.from({ length: ROWS }, () => below(groups));
  const value = Uint8Array.from({ length: ROWS }, () => below(4));
  const adds = Int32Array.from({ length: groups }, (_, code) => (code % 5 === 3 ? -1 : code));
  return {
    rowCount: ROWS,
    inputs: [member, value],
    probes: [{ input: 0, adds, width: groups, stride: 1, passes: 0.8 }],
    size: groups,
    fields: list,
  };
};

afterEach(() => helpScansWith(undefined));

test('two parts of a scan together give what one run gives', () => {
  fc.assert(
    fc.property(
      fc.nat(),
      fc.integer({ min: 1, max: 900 }),
      fc.integer({ min: 0, max: ROWS }),
      (seed, groups, cut) => {
        const plan = planOf(seed, groups, fields);
        const parts = [partOf(plan, 0, cut), partOf(plan, cut, ROWS)].map((part) => runCompiled(part));
        expectSame(mergedScans(plan, parts[0]!, parts[1]!), runCompiled(plan));
      },
    ),
    { numRuns: cases(60) },
  );
});

test('a scan of many rows is helped with; distinct counts, hashed groups and small scans are not', () => {
  let helped = 0;
  helpScansWith({
    begin: (work) => {
      helped++;
      return () => workOn(work);
    },
  });
  const small = planOf(1, 10, fields);
  expectSame(runHelped(small), runCompiled(small));
  expect(helped).toBe(0);
  const many = 600_000;
  const large: ScanPlan = {
    ...small,
    rowCount: many,
    inputs: [
      Uint16Array.from({ length: many }, (_, i) => i % 10),
      Uint8Array.from({ length: many }, (_, i) => i % 4),
    ],
  };
  expectSame(runHelped(large), runCompiled(large));
  expect(helped).toBe(1);
  const rows = rowsOfGroup(large, 7);
  expect(helped).toBe(2);
  expect([...rows]).toEqual(Array.from({ length: many / 10 }, (_, i) => 10 * i + 7));
  helped = 1;
  const distinct: ScanPlan = { ...large, fields: [{ kind: 'distinct', input: 1, width: 5 }] };
  expectSame(runHelped(distinct), runCompiled(distinct));
  expect(helped).toBe(1);
  const hashed: ScanPlan = { ...large, size: 2 ** 21 };
  expectSame(runHelped(hashed), runCompiled(hashed));
  expect(helped).toBe(1);
});

test('where the helper has no result after all, its part is done here', () => {
  helpScansWith({ begin: () => () => undefined });
  const many = 600_000;
  const plan: ScanPlan = {
    ...planOf(1, 10, fields),
    rowCount: many,
    inputs: [
      Uint16Array.from({ length: many }, (_, i) => i % 10),
      Uint8Array.from({ length: many }, (_, i) => i % 4),
    ],
  };
  expectSame(runHelped(plan), runCompiled(plan));
  expectSame(rowsOfGroup(plan, 3), workOn({ kind: 'rows', plan, group: 3 }));
});

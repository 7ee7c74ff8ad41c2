import type { Table } from '@crease/core/model';
import { parseFormula } from '@crease/core/formula';
import { bandsFault, bandsFormula } from './bands.ts';
import { placeLineage } from './lineageLayout.ts';
import { isOff, verbOf } from './steps.ts';
import { emptyStep, STEP_KINDS, stepText } from '@crease/core/shape';
import { STEP_FORMS } from './forms/index.ts';
import { lineageOf } from '@crease/core/sources';

test('bands are written as a case that any name and any text survives', () => {
  const bands = [
    { name: "child's", below: '14' },
    { name: 'adult', below: '65' },
    { name: 'senior', below: '' },
  ];
  const formula = bandsFormula('Age of patron', bands);
  expect(formula.split('\n')).toEqual([
    'case',
    '  when "Age of patron" is null then null',
    `  when "Age of patron" < 14 then 'child''s'`,
    `  when "Age of patron" < 65 then 'adult'`,
    `  else 'senior'`,
    'end',
  ]);
  expect(parseFormula(formula).faults).toEqual([]);
});

test.each([
  [['a'], [''], 'at least two bands'],
  [['a', ''], ['1', ''], 'each band needs a name'],
  [['a', 'b', 'c'], ['1', '', ''], 'each band but the last needs the number at which it ends'],
  [['a', 'b', 'c'], ['5', '5', ''], 'the numbers must rise from band to band'],
  [['a', 'b', 'c'], ['-1.5', '2', ''], undefined],
])('bands %j below %j: %s', (names, limits, fault) => {
  expect(bandsFault(names.map((name, i) => ({ name, below: limits[i]! })))).toBe(fault);
});

test('every verb has a step to start from and says what it does in a line, also when it is switched off', () => {
  const columns = [
    { name: 'branch', type: 'text' },
    { name: 'column', type: 'integer' },
  ];
  const texts = STEP_KINDS.filter((k) => k.says !== undefined).map(({ verb }) => {
    const step = emptyStep(verb, columns);
    expect(verbOf(step)).toBe(verb);
    expect([isOff({ off: step }), verbOf({ off: step }), stepText({ off: step })]).toEqual([
      true,
      verb,
      stepText(step),
    ]);
    return stepText(step);
  });
  // A new column does not take the name of one that is there.
  expect(texts).toContain('column_2 = null');
  expect(
    stepText({
      join: {
        table: 'fee',
        kind: 'left',
        on: [
          ['a', 'b'],
          ['c', 'c'],
        ],
        columns: ['x', { column: 'y', as: 'z' }],
      },
    }),
  ).toBe('left, with fee on a = b and c, adds x, y as z');
  expect(stepText({ pick: ['a', 'b', 'c', 'd', 'e'] })).toBe('a, b, c and 2 more');
});

test('each verb that can be chosen has a form, but for what has nothing to set', () => {
  const offered = STEP_KINDS.filter((k) => k.says !== undefined).map((k) => k.verb);
  expect(offered.filter((verb) => !STEP_FORMS[verb])).toEqual(['distinct']);
  expect(Object.keys(STEP_FORMS).filter((verb) => !STEP_KINDS.some((k) => k.verb === verb))).toEqual([]);
});

test('a lineage stands in columns by hops, no two boxes on one place, and what is derived stands by what it comes from', () => {
  const table = (name: string, from: string[] = []): Table => ({
    name,
    role: 'dimension',
    columns: [],
    source:
      from.length > 0
        ? {
            steps: from.map((f, i): Record<string, string | string[]> =>
              i === 0 ? { from: f } : { union: [f] },
            ),
          }
        : { file: `${name}.csv` },
  });
  const tables = [
    ...Array.from({ length: 9 }, (_, i) => table(`t${i}`)),
    table('late', ['t8']),
    table('both', ['late', 't7']),
  ];
  const placed = placeLineage(lineageOf({ crease: 1, name: 'm', tables }));
  const at = (name: string) => placed.find((p) => p.name === name)!;
  expect(new Set(placed.map((p) => `${p.x} ${p.y}`)).size).toBe(placed.length);
  expect(at('late').y).toBe(at('t8').y);
  expect(at('both').x).toBeGreaterThan(at('late').x);
  expect(at('late').x).toBeGreaterThan(at('t8').x);
});

import { growthOf } from './index.ts';

const part = (name: string, rows: number) => ({ name, rows, bytes: rows * 10 });

test('the pace is that of the last whole parts: neither the one that is still filling nor rows without a day count', () => {
  const years = [
    part('2023', 100),
    part('2024', 1200),
    part('2025', 2400),
    part('2026', 7),
    part('(none)', 900),
  ];
  expect(growthOf(years, 'year')).toEqual({ parts: 2, rowsAMonth: 150, bytesAMonth: 1500 });
  const months = Array.from({ length: 30 }, (_, i) =>
    part(`${2023 + Math.floor(i / 12)}-${String(1 + (i % 12)).padStart(2, '0')}`, i < 5 ? 1_000_000 : 60),
  );
  expect(growthOf(months, 'month')).toEqual({ parts: 24, rowsAMonth: 60, bytesAMonth: 600 });
  expect(growthOf([part('2025-Q1', 30), part('2025-Q2', 60), part('2025-Q3', 1)], 'quarter')).toEqual({
    parts: 2,
    rowsAMonth: 15,
    bytesAMonth: 150,
  });
});

test('too few parts, and parts of values, have no pace', () => {
  expect(growthOf([part('2025', 10), part('2026', 10)], 'year')).toBeUndefined();
  expect(growthOf([], 'month')).toBeUndefined();
  expect(growthOf([part('North', 1), part('South', 1), part('West', 1)], 'value')).toBeUndefined();
});

import type { Model } from '@crease/core/model';
import { layOutStars } from './layout.ts';

const table = (name: string, role: 'fact' | 'dimension' | 'bridge' | 'staging') => ({
  name,
  role,
  key: ['id'],
  columns: [
    { name: 'id', type: 'integer' },
    { name: 'other', type: 'integer' },
  ],
});
const relate = (from: string, to: string) => ({
  name: `${from}_${to}`,
  from: { table: from, columns: ['other'] },
  to: { table: to, columns: ['id'] },
});

function overlaps(model: Model): string[] {
  const { cards } = layOutStars(model);
  return cards.flatMap((a, i) =>
    cards
      .slice(i + 1)
      .filter(
        (b) => a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height,
      )
      .map((b) => `${a.table.name} ${b.table.name}`),
  );
}

test('facts stand between the dimensions that they refer to, outriggers beyond', () => {
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [table('f', 'fact'), table('a', 'dimension'), table('b', 'dimension'), table('o', 'dimension')],
    relationships: [relate('f', 'a'), relate('f', 'b'), relate('b', 'o')],
  };
  const { cards, edges } = layOutStars(model);
  const x = (name: string) => cards.find((c) => c.table.name === name)!.x;
  expect(Math.sign(x('a') - x('f'))).toBe(-Math.sign(x('b') - x('f')));
  expect(Math.abs(x('o') - x('f'))).toBeGreaterThan(Math.abs(x('b') - x('f')));
  expect(edges).toHaveLength(3);
});

test('what nothing leads to stands beside the facts, not among them', () => {
  const facts = Array.from({ length: 12 }, (_, i) => table(`f${i}`, 'fact'));
  const model: Model = {
    crease: 1,
    name: 'm',
    tables: [
      ...facts,
      table('a', 'dimension'),
      table('b', 'dimension'),
      table('alone', 'dimension'),
      table('log', 'staging'),
    ],
    relationships: facts.flatMap((f) => [relate(f.name, 'a'), relate(f.name, 'b')]),
  };
  const { cards } = layOutStars(model);
  const x = (name: string) => cards.find((c) => c.table.name === name)!.x;
  const xs = facts.map((f) => x(f.name));
  for (const name of ['alone', 'log'])
    expect(x(name) < Math.min(...xs) || x(name) > Math.max(...xs)).toBe(true);
  expect(x('alone')).not.toBe(x('log'));
});

test('no two cards overlap, the same model gives the same picture, and many tables stay about as wide as high', () => {
  const tables = [
    ...Array.from({ length: 25 }, (_, i) => table(`f${i}`, 'fact')),
    ...Array.from({ length: 175 }, (_, i) => table(`d${i}`, i % 20 === 0 ? 'bridge' : 'dimension')),
  ];
  const relationships = Array.from({ length: 250 }, (_, i) => relate(`f${i % 25}`, `d${(i * 7) % 160}`));
  const model: Model = { crease: 1, name: 'm', tables, relationships };
  expect(overlaps(model)).toEqual([]);
  expect(layOutStars(model)).toEqual(layOutStars(model));
  const { cards } = layOutStars(model);
  const width = Math.max(...cards.map((c) => c.x + c.width)) - Math.min(...cards.map((c) => c.x));
  const height = Math.max(...cards.map((c) => c.y + c.height)) - Math.min(...cards.map((c) => c.y));
  expect(width / height).toBeGreaterThan(0.5);
  expect(width / height).toBeLessThan(3);
});

test('a model without facts, and one without tables, can be drawn', () => {
  expect(overlaps({ crease: 1, name: 'm', tables: [table('x', 'staging'), table('y', 'staging')] })).toEqual(
    [],
  );
  expect(layOutStars({ crease: 1, name: 'm', tables: [] })).toEqual({ cards: [], edges: [] });
});

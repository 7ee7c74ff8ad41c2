import fc from 'fast-check';
import type { Value } from '../values/index.ts';
import { decimal, INTEGER, TEXT } from '../values/index.ts';
import { columnOfValues, rowLists, tableOf } from '../columns/index.ts';
import type { Model, Relationship, Table } from '../model/index.ts';
import { ModelNames } from '../model/index.ts';
import { chained, hopsOf, keyNumbers, matchColumns, Reach, rowIndex } from './index.ts';

const table = (name: string, role: Table['role'] = 'dimension'): Table => ({
  name,
  role,
  key: ['id'],
  columns: [{ name: 'id', type: 'integer' }],
});
const relate = (name: string, from: string, to: string, rest: Partial<Relationship> = {}): Relationship => ({
  name,
  from: { table: from, columns: ['id'] },
  to: { table: to, columns: ['id'] },
  ...rest,
});
const reachOf = (tables: Table[], relationships: Relationship[]) =>
  new Reach(new ModelNames({ crease: 1, name: 'm', tables, relationships } as Model));
const way = (path: readonly Relationship[]) => path.map((r) => r.name);

describe('reach', () => {
  const tables = [
    table('loan', 'fact'),
    table('branch'),
    table('district'),
    table('region'),
    table('title'),
    table('author'),
    table('title_author', 'bridge'),
    table('campaign', 'fact'),
    table('patron'),
    table('calendar'),
  ];
  const relationships = [
    relate('lb', 'loan', 'branch'),
    relate('bd', 'branch', 'district'),
    relate('dr', 'district', 'region'),
    relate('lt', 'loan', 'title'),
    relate('at', 'title_author', 'title'),
    relate('aa', 'title_author', 'author'),
    relate('lp', 'loan', 'patron'),
    relate('cp', 'campaign', 'patron', { cardinality: 'many-to-many' }),
    relate('lent', 'loan', 'calendar'),
    relate('returned', 'loan', 'calendar', { default: false }),
  ];
  const reach = reachOf(tables, relationships);

  test('lookups go over any number of default hops, one way only', () => {
    expect(reach.route('loan', 'loan')).toEqual({ kind: 'lookup', path: [] });
    expect(way(reach.lookup('loan', 'region')!)).toEqual(['lb', 'bd', 'dr']);
    expect(reach.route('region', 'loan')).toBeUndefined();
    expect([...reach.closure('branch')].sort()).toEqual(['branch', 'district', 'region']);
  });

  test('names are matched without regard to case', () => {
    expect(reach.route('LOAN', 'Region')?.kind).toBe('lookup');
  });

  test('through a bridge, in either direction', () => {
    const there = reach.route('loan', 'author');
    expect(there).toMatchObject({ kind: 'bridge', entry: { name: 'at' } });
    expect(there?.kind === 'bridge' && [way(there.anchor), way(there.path)]).toEqual([['lt'], ['aa']]);
    expect(reach.route('loan', 'title_author')).toMatchObject({ kind: 'bridge', path: [] });
    expect(reach.route('author', 'title')).toMatchObject({ kind: 'bridge', entry: { name: 'aa' } });
    expect(reach.route('title_author', 'author')?.kind).toBe('lookup');
  });

  test('by values: from the `to` end to the `from` end only', () => {
    expect(reach.route('campaign', 'patron')).toMatchObject({ kind: 'many-to-many', entry: { name: 'cp' } });
    expect(reach.route('patron', 'campaign')).toBeUndefined();
  });

  test('via replaces the ways to its table and to what that looks up', () => {
    expect(way(reach.lookup('loan', 'calendar')!)).toEqual(['lent']);
    expect(way(reach.lookup('loan', 'calendar', ['returned'])!)).toEqual(['returned']);
    expect(way(reach.lookup('loan', 'region', ['returned'])!)).toEqual(['lb', 'bd', 'dr']);
  });

  test('two default ways are ambiguous, and none is taken', () => {
    const two = reachOf(tables, [...relationships, relate('second', 'loan', 'district')]);
    expect(two.route('loan', 'district')?.kind).toBe('ambiguous');
    expect(two.route('loan', 'region')?.kind).toBe('ambiguous');
    expect(two.route('loan', 'branch')?.kind).toBe('lookup');
    expect(way(two.lookup('loan', 'region', ['second'])!)).toEqual(['second', 'dr']);
  });

  test('a circle does not go on for ever', () => {
    const circle = reachOf([table('a'), table('b')], [relate('ab', 'a', 'b'), relate('ba', 'b', 'a')]);
    expect(way(circle.lookup('a', 'b')!)).toEqual(['ab']);
  });
});

describe('rows that meet', () => {
  const ids = fc.array(fc.option(fc.integer({ min: 0, max: 6 })), { maxLength: 20 });
  const column = (name: string, values: readonly Value[]) => columnOfValues(name, INTEGER, values);

  test('an index leads to the first row with the same key', () => {
    fc.assert(
      fc.property(ids, ids, (from, to) => {
        const index = rowIndex(
          relate('r', 'f', 't'),
          tableOf('f', [column('id', from)]),
          tableOf('t', [column('id', to)]),
        );
        from.forEach((id, row) => expect(index[row]).toBe(id === null ? 0 : to.indexOf(id) + 1));
      }),
    );
  });

  test('composite keys meet when all their parts do', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.option(fc.integer({ min: 0, max: 3 })), fc.option(fc.constantFrom('a', 'b'))), {
          maxLength: 15,
        }),
        fc.array(fc.tuple(fc.option(fc.integer({ min: 0, max: 3 })), fc.option(fc.constantFrom('a', 'b'))), {
          maxLength: 15,
        }),
        (from, to) => {
          const columns = (rows: typeof from) => [
            columnOfValues(
              'n',
              INTEGER,
              rows.map((r) => r[0]),
            ),
            columnOfValues(
              't',
              TEXT,
              rows.map((r) => r[1]),
            ),
          ];
          const keys = keyNumbers(columns(from), columns(to));
          const filled = (r: (typeof from)[number]) => r[0] !== null && r[1] !== null;
          from.forEach((a, i) => {
            expect(keys.from[i] === 0).toBe(!filled(a));
            to.forEach((b, j) =>
              expect(keys.from[i] === keys.to[j] && keys.from[i] !== 0).toBe(
                filled(a) && a[0] === b[0] && a[1] === b[1],
              ),
            );
          });
        },
      ),
    );
  });

  test('a decimal meets the integer that it equals', () => {
    const keys = keyNumbers([columnOfValues('d', decimal(9, 2), [500, 525, null])], [column('i', [5, 7])]);
    expect(keys.from[0]).toBe(keys.to[0]);
    expect([keys.from[1] === keys.to[1], keys.from[2]]).toEqual([false, 0]);
  });

  test('lists hold each row once, by its number', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 9 }), { maxLength: 40 }), (numbers) => {
        const lists = rowLists(Uint32Array.from(numbers), 10);
        for (let k = 0; k < 10; k++) {
          const own = Array.from(lists.rows.subarray(lists.starts[k], lists.starts[k + 1]));
          expect(own).toEqual(numbers.flatMap((n, row) => (n === k ? [row] : [])));
        }
      }),
    );
  });

  test('a chain breaks where one of its links does', () => {
    expect(Array.from(chained(Uint32Array.from([1, 2, 0]), Uint32Array.from([3, 0])))).toEqual([3, 0, 0]);
  });

  test('a match counts what a naive comparison counts', () => {
    fc.assert(
      fc.property(ids, ids, (from, to) => {
        const match = matchColumns([column('a', from)], [column('b', to)]);
        const filled = from.filter((v) => v !== null);
        expect(match.nulls).toBe(from.length - filled.length);
        expect(match.matched).toBe(filled.filter((v) => to.includes(v)).length);
        expect(match.fromDistinct).toBe(new Set(filled).size);
        expect(match.toUnique).toBe(
          new Set(to.filter((v) => v !== null)).size === to.filter((v) => v !== null).length,
        );
        expect(match.orphans.reduce((n, o) => n + o.rows, 0)).toBe(filled.length - match.matched);
      }),
    );
  });
});

test('ways as if a relationship were default are those of a model in which it is', () => {
  const names = ['a', 'b', 'c', 'd', 'e'];
  const bridge = 'e';
  const relationships = fc.uniqueArray(
    fc.record({
      from: fc.constantFrom(...names),
      to: fc.constantFrom(...names),
      default: fc.boolean(),
      cardinality: fc.constantFrom('many-to-one' as const, 'many-to-many' as const),
    }),
    { maxLength: 7, selector: ({ from, to }) => `${from} ${to}` },
  );
  fc.assert(
    fc.property(relationships, (ends) => {
      const all = ends
        .filter(({ from, to }) => from !== to)
        .map(({ from, to, ...rest }) => relate(`${from}${to}`, from, to, rest));
      const tables = names.map((name) => table(name, name === bridge ? 'bridge' : 'dimension'));
      const reach = reachOf(tables, all);
      for (const r of all.filter((x) => x.default === false)) {
        const other = reachOf(
          tables,
          all.map((x) => (x === r ? { ...x, default: true } : x)),
        );
        const said = (of: Reach) =>
          names.flatMap((base) =>
            names.map((to) => {
              const route = of.route(base, to);
              if (!route) return undefined;
              return route.kind === 'ambiguous' ? route.paths.map(way) : [route.kind, way(hopsOf(route))];
            }),
          );
        expect(said(reach.ifDefault(r))).toEqual(said(other));
      }
    }),
  );
});

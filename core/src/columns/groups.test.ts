import fc from 'fast-check';
import { INTEGER, TEXT } from '../values/index.ts';
import { columnOfValues, columnsOfGroups, encodeDomain } from './index.ts';

test('columns of groups are those of their rows', () => {
  const group = fc.record({
    number: fc.option(fc.integer({ min: -3, max: 900 })),
    text: fc.option(fc.constantFrom('', 'a', 'b', 'é')),
    rows: fc.integer({ min: 0, max: 4 }),
  });
  fc.assert(
    fc.property(fc.array(group, { maxLength: 12 }), (groups) => {
      const rows = groups.flatMap((g) => Array.from({ length: g.rows }, () => g));
      const made = columnsOfGroups(
        [
          { name: 'n', type: INTEGER, values: groups.map((g) => g.number) },
          { name: 't', type: TEXT, values: groups.map((g) => g.text) },
        ],
        groups.map((g) => g.rows),
      );
      const plain = [
        columnOfValues(
          'n',
          INTEGER,
          rows.map((g) => g.number),
        ),
        columnOfValues(
          't',
          TEXT,
          rows.map((g) => g.text),
        ),
      ];
      made.forEach((column, k) => {
        const own = plain[k]!;
        expect(column.valuesAt([...rows.keys()])).toEqual(own.valuesAt([...rows.keys()]));
        expect([column.rowCount, column.nulls, column.distinct, column.runs]).toEqual([
          own.rowCount,
          own.nulls,
          own.distinct,
          own.runs,
        ]);
        // Groups of no rows may leave values that no row has.
        if (groups.every((g) => g.rows > 0))
          expect(encodeDomain(column.domain, column.type)).toEqual(encodeDomain(own.domain, own.type));
      });
    }),
  );
});

import type { Answer } from '@crease/core/query';
import { answerQuery, DataError, traceCell } from '@crease/core/query';
import { rowsBehind } from '@crease/core/rows';
import { answerInSqlite } from '../src/sql.ts';
import { answers, dataOf, difference, isSame, makeCase } from './fuzz/compare.ts';
import type { Case } from './fuzz/compare.ts';
import { cases } from '../../tools/cases.ts';

// `npm run fuzz` compares many more; what it finds becomes a named test below.
test('columns, SQL and a naive reference agree on random models, rows, formulas and queries', () => {
  let compared = 0;
  for (let seed = 1; seed <= cases(150); seed++) {
    const found = difference(makeCase(seed));
    if (found === null) continue;
    compared++;
    if (found !== undefined)
      throw new Error(`seed ${seed}: ${found}; see npm run fuzz -- --cases 1 for the way to a small case`);
  }
  expect(compared).toBeGreaterThan(cases(75));
});

test('a cell that is traced has the value of the answer, in random questions', () => {
  let traced = 0;
  for (let seed = 1; seed <= cases(150); seed++) {
    const kase = makeCase(seed);
    // Rows of a group come from the plan where it is compiled, and from the groups of all rows elsewhere.
    const data = dataOf(kase, seed % 2 === 0 ? 'compiled' : 'plain');
    const { query } = kase.question;
    let answer: Answer;
    try {
      answer = answerQuery(data, query);
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      continue; // a question that is not right
    }
    const width = (query.by ?? []).length;
    for (const row of answer.rows.slice(0, 3))
      for (const [i, measure] of query.measures.entries()) {
        const cell = { measure, members: row.slice(0, width) };
        expect({ seed, value: traceCell(data, query, cell).value }).toEqual({ seed, value: row[width + i] });
        traced++;
      }
  }
  expect(traced).toBeGreaterThan(cases(37));
});

/** A case that the tester once found, over the first random world with other rows. */
const found = (
  rows: Case['world']['rows'],
  formula: string,
  query: Partial<Case['question']['query']> = {},
): Case => ({
  world: { ...makeCase(1).world, rows },
  question: { formula, query: { measures: ['Asked'], ...query } },
});

test('a filter may come through a bridge, and is judged on the rows met there', () => {
  const loan = {
    id: 1,
    branch_id: 1,
    title_id: 1,
    day: '2024-10-05',
    due: null,
    copies: 2,
    fine: null,
    late: true,
  };
  const author = [
    { id: 1, country: 'FR', born: null },
    { id: 2, country: 'DE', born: 1950 },
  ];
  const authorship = author.map(({ id }) => ({ title_id: 1, author_id: id, share: 1 }));
  const rows = { loan: [loan], author, authorship, title: [{ id: 1, class: 'A', price: null, topic: null }] };
  const kase = found(rows, "count(loan) filter (where author.country = 'FR')", { by: ['author.country'] });
  expect(answers(kase)!.columns).toEqual({
    rows: [
      ['DE', 0],
      ['FR', 1],
    ],
  });
  expect(difference(kase)).toBeUndefined();
});

test('cells of several contexts are put together by axis, not by position', () => {
  const loan = {
    id: 16,
    branch_id: 1,
    title_id: 2,
    day: null,
    due: '2024-11-02',
    copies: -1,
    fine: '17.82',
    late: false,
  };
  const kase = found({ loan: [loan] }, 'earliest(loan.day by loan.branch_id) over (last 2 years)', {
    by: ['calendar.day', 'loan.late'],
    measures: ['Asked', 'Loans'],
  });
  expect(difference(kase)).toBeUndefined();
  expect(answers(kase)!.columns).toEqual({ rows: [[null, false, null, 1]] });
});

test('an at around a per comes before the combinations of the per', () => {
  const calendar = ['2024-11-02', '2024-11-07'].map((day) => ({
    day,
    month: '2024-11',
    year: 2024,
    weekday: 4,
  }));
  const stock = [
    { branch_id: 2, day: '2024-11-07', copies: 16 },
    { branch_id: 99, day: '2024-11-02', copies: 3 },
  ];
  const branch = [{ id: 2, district_id: null, name: null, size: 3 }];
  const kase = found(
    { branch, calendar, stock },
    'sum(sum(stock.copies) per branch.id) at first calendar.day',
  );
  expect(answers(kase)!.columns).toEqual({ rows: [[3]] });
  expect(difference(kase)).toBeUndefined();
});

test('the quarter of no day is no day', () => {
  const loan = { id: 20, branch_id: 1, title_id: 4, day: null, due: null, copies: 3, fine: null, late: null };
  const kase = found({ loan: [loan] }, 'max(date_trunc(loan.day, quarter)) from loan');
  expect(answers(kase)!.sql).toEqual({ rows: [[null]] });
});

test('where a key stands twice, rows belong to the first of the two, also the other way round', () => {
  const district = [
    { id: 1, region: 'North', area: 1 },
    { id: 1, region: 'South', area: 2 },
  ];
  const loan = { id: 1, branch_id: 1, title_id: 1, day: null, due: null, copies: 1, fine: null, late: null };
  const rows = { district, branch: [{ id: 1, district_id: 1, name: 'Ash', size: 1 }], loan: [loan] };
  const base = found(rows, 'count(district) filter (where district.area > 0)', { by: ['district.region'] });
  expect(difference(base)).toBeUndefined();
  const counted = { name: 'loans', type: 'integer', formula: 'count(loan)' };
  const tables = base.world.model.tables.map((t) =>
    t.name === 'district' ? { ...t, columns: [...t.columns.filter((c) => c.name !== 'loans'), counted] } : t,
  );
  const kase = {
    world: { ...base.world, model: { ...base.world.model, tables } },
    question: { ...base.question, formula: 'sum(district.loans)' },
  };
  expect(answers(kase)!.columns).toEqual({
    rows: [
      ['North', 1],
      ['South', 0],
    ],
  });
  expect(difference(kase)).toBeUndefined();
});

test('values that are all alike have no variance at all, so nothing can be divided by it', () => {
  const loan = { branch_id: 1, title_id: 1, day: null, due: null, copies: 1, fine: null, late: null };
  const rows = {
    title: [{ id: 1, class: 'A', price: '49.17', topic: null }],
    loan: Array.from({ length: 7 }, (_, i) => ({ ...loan, id: i + 1 })),
  };
  const kase = found(rows, 'with step as (stddev_pop(title.price) from loan) select step / step');
  expect(difference(kase)).toBeUndefined();
  expect(answers(kase)!.columns).toEqual({ rows: [[null]] });
});

test('the comparison tells numbers apart that differ', () => {
  expect([
    isSame([1, null], [1, 0]),
    isSame({ rows: [[0.1 + 0.2]] }, { rows: [[0.3]] }),
    isSame(['1.0'], ['1.00']),
  ]).toEqual([false, true, false]);
});

test('laid out across, with subtotals and conditions on measures, columns and SQL agree, and the parts are those of the whole', () => {
  let compared = 0;
  for (let seed = 1; seed <= cases(100); seed++) {
    const kase = makeCase(seed);
    const data = dataOf(kase);
    const { sort: _sort, limit: _limit, ...query } = kase.question.query;
    const by = query.by ?? [];
    if (by.length === 0) continue;
    const cut = seed % (by.length + 1);
    const laidOut = { ...query, by: by.slice(0, cut), across: by.slice(cut) };
    const asked = { ...laidOut, subtotals: true, totals: true };
    const having = { ...laidOut, filters: [...(query.filters ?? []), { having: '"Asked" is not null' }] };
    let plain: Answer;
    try {
      plain = answerQuery(data, query);
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      continue; // a question that is not right
    }
    const answer = answerQuery(data, asked);
    expect({ seed, rows: answer.rows }).toEqual({ seed, rows: plain.rows });
    // A subtotal is what the question answers that has no more than its items.
    for (const { by: byCount, across, rows } of answer.subtotals!) {
      const alone = answerQuery(data, {
        ...query,
        by: [...by.slice(0, byCount), ...by.slice(cut, cut + across)],
      });
      const known = new Set(alone.rows.map((row) => JSON.stringify(row)));
      expect({ seed, strange: rows.filter((row) => !known.has(JSON.stringify(row))) }).toEqual({
        seed,
        strange: [],
      });
    }
    const held = answerQuery(data, having).rows;
    const place = by.length;
    if (query.measures[0] === 'Asked')
      expect({ seed, rows: held }).toEqual({ seed, rows: plain.rows.filter((row) => row[place] !== null) });
    const per = by.length > 1 && seed % 3 === 0 ? by.slice(0, 1) : [];
    const order = seed % 2 === 0 ? ('descending' as const) : ('ascending' as const);
    const top = {
      ...query,
      filters: [...(query.filters ?? []), { top: 1 + (seed % 3), of: 'Asked', per, order }],
    };
    const cutTop = { top: 1 + (seed % 2), of: 'Asked', per, order, others: true };
    const least = Math.max(1, cut);
    const withOthers = {
      ...query,
      by: by.slice(0, least),
      across: by.slice(least),
      subtotals: true,
      filters: [...(query.filters ?? []), { ...cutTop, per: least > 1 ? per : [] }],
    };
    const first = answerQuery(data, top).rows;
    // What comes first is of the whole, and no group of it is larger than asked for.
    const whole = new Set(plain.rows.map((row) => JSON.stringify(row)));
    expect({ seed, strange: first.filter((row) => !whole.has(JSON.stringify(row))) }).toEqual({
      seed,
      strange: [],
    });
    for (const [one, rows] of [
      [asked, answer],
      [having, { rows: held }],
      [top, { rows: first }],
      ...(query.unmatched === 'apart' ? [] : [[withOthers, answerQuery(data, withOthers)] as const]),
    ] as const) {
      let sql: Answer;
      try {
        sql = answerInSqlite(data, one);
      } catch (error) {
        if (!(error instanceof DataError)) throw error;
        continue; // a number beyond what SQLite counts with
      }
      if (!isSame([sql.rows, sql.subtotals], [rows.rows, 'subtotals' in rows ? rows.subtotals : undefined]))
        throw new Error(`seed ${seed}: SQL answers otherwise`);
      compared++;
    }
  }
  expect(compared).toBeGreaterThan(cases(60));
});

test('the rows behind each cell add up to it, in random questions', () => {
  let summed = 0;
  for (let seed = 1; seed <= cases(100); seed++) {
    const kase = makeCase(seed);
    const data = dataOf(kase);
    const { query } = kase.question;
    let answer: Answer;
    try {
      answer = answerQuery(data, query);
    } catch (error) {
      if (!(error instanceof DataError)) throw error;
      continue; // a question that is not right
    }
    const width = (query.by ?? []).length;
    for (const row of [...answer.rows.slice(0, 4), []])
      for (const measure of query.measures) {
        const { aggregates } = rowsBehind(data, {
          query,
          cells: [{ measure, by: row.slice(0, width) }],
          columns: [],
        });
        for (const { text, sum, of } of aggregates) {
          if (sum === null) continue;
          const isClose = isSame(Number(sum), Number(of));
          expect({ seed, measure, row, text, sum: isClose ? of : sum }).toEqual({
            seed,
            measure,
            row,
            text,
            sum: of,
          });
          summed++;
        }
      }
  }
  expect(summed).toBeGreaterThan(cases(40));
});

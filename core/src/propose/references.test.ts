import type { Model } from '../model/index.ts';
import { draft, many } from './drafted.ts';
import { FIT, nameFit, subjectOf } from './nameFit.ts';

const related = (model: Model) =>
  (model.relationships ?? []).map(
    (r) =>
      `${r.from.table}.${r.from.columns.join('+')} > ${r.to.table}.${r.to.columns.join('+')}${r.default === false ? ' not default' : ''}`,
  );
test.each<[string, string, string, number]>([
  ['branch_id', 'branches', 'id', FIT.whole],
  ['branch', 'dim_branch', 'branch_key', FIT.whole],
  ['card_no', 'patron', 'card_no', FIT.whole],
  ['home_branch_id', 'branch', 'id', FIT.ending],
  ['class_id', 'title_classes', 'id', FIT.ending],
  ['former_title_id', 'small_titles', 'id', FIT.head],
  ['branch_area_id', 'branch', 'id', FIT.none],
  ['person_id', 'people', 'id', FIT.whole],
  ['movie', 'movies', 'code', FIT.whole],
  ['id', 'branch', 'id', FIT.none],
  ['name', 'author', 'name', FIT.none],
  ['slot', 'shelf_slots', 'id', FIT.none],
])('%s leads to %s.%s: %i', (column, table, key, fit) => {
  expect(nameFit(subjectOf(column), subjectOf(table), subjectOf(key))).toBe(fit);
});

test('running numbers of two tables are no references of each other, whatever they are called', () => {
  const model = draft({
    title: { id: many(90), identifier: many(90, (i) => `title-${i}`) },
    author: { id: many(40), identifier: many(40, (i) => `author-${i}`) },
    desk: { id: many(9), effect_id: many(9, (i) => 1 + (i % 3)), pages: many(9, (i) => 1 + (i % 4)) },
  });
  expect(related(model)).toEqual([]);
});

test('letters among codes of one to five letters say nothing, words that are held do', () => {
  const letters = many(26, (i) => String.fromCharCode(65 + i));
  const symbols = [
    ...letters,
    ...many(300, (i) => `${letters[i % 26]}${letters[(i * 7) % 26]}${letters[i % 11]}Q`),
  ];
  const kinds = ['borrowing', 'returning', 'reserving', 'renewing'];
  const model = draft({
    symbol: { code: [...new Set(symbols)] },
    kind: { name: kinds, weight: many(4) },
    act: {
      act_no: many(60, (i) => 7000 + i),
      lane: many(60, (i) => ['C', 'I', 'O'][i % 3]!),
      doing: many(60, (i) => kinds[i % 4]!),
    },
  });
  expect(related(model)).toEqual(['act.doing > kind.name']);
});

test('a column may refer to another unique column than the key', () => {
  const codes = many(30, (i) => `${String.fromCharCode(65 + (i % 26))}${String.fromCharCode(65 + i / 2)}`);
  const model = draft({
    land: { land_id: many(30, (i) => 500 + i), alpha2: codes, name: many(30, (i) => `Land ${i}`) },
    visit: { visit_no: many(80, (i) => 9000 + i), land_alpha2: many(80, (i) => codes[i % 30]!) },
  });
  expect(related(model)).toEqual(['visit.land_alpha2 > land.alpha2']);
});

test('the default way is that which matches most rows, and a loop is never drafted', () => {
  const model = draft({
    town: {
      district_no: many(12, (i) => Math.floor(i / 4)),
      town_no: many(12, (i) => i % 4),
      name: many(12, (i) => `T ${i}`),
    },
    district: { district_no: many(3, (i) => i), name: many(3, (i) => `D ${i}`) },
    visit: {
      visit_no: many(80, (i) => i + 1000),
      district_no: many(80, (i) => i % 3),
      town_no: many(80, (i) => (i % 4 === 0 ? 9 : i % 4)),
    },
  });
  expect(related(model)[0]).toBe('visit.district_no > district.district_no');
  const loop = draft({
    staff: {
      staff_id: many(40, (i) => 100 + i),
      branch_id: many(40, (i) => 10 + (i % 8)),
      name: many(40, (i) => `S ${i}`),
    },
    branch: {
      branch_id: many(8, (i) => 10 + i),
      head_staff_id: many(8, (i) => 100 + i * 2),
      name: many(8, (i) => `B ${i}`),
    },
  });
  expect(related(loop)).toEqual(['staff.branch_id > branch.branch_id']);
});

test('a tree is told by its values, whatever its column is called; the first few numbers of a list that is not here are none', () => {
  const codes = many(20, (i) => `K${100 + i}`);
  const tree = draft({
    unit: {
      unit_code: codes,
      within: many(20, (i) => (i === 0 ? null : codes[Math.floor((i - 1) / 3)]!)),
      name: many(20, (i) => `Unit ${i}`),
    },
  });
  expect(tree.hierarchies).toMatchObject([{ table: 'unit', parent: 'within' }]);
  const list = draft({
    item: {
      id: many(60),
      effect_id: many(60, (i) => (i % 3 === 0 ? null : 1 + (i % 7))),
      name: many(60, (i) => `Item ${i}`),
    },
  });
  expect(list.hierarchies ?? []).toEqual([]);
});

test('what measures a day each day is a fact and no calendar, and others do not refer to it', () => {
  const model = draft({
    weather: {
      day_no: many(60, (i) => 20240101 + i),
      temp_max: many(60, (i) => i % 30),
      rain: many(60, (i) => i % 4),
    },
  });
  expect(model.tables[0]!.role).toBe('fact');
  expect(model.calendars ?? []).toEqual([]);
  expect(model.tables[0]!.columns.map((c) => [c.name, c.use, c.aggregate])).toEqual([
    ['day_no', 'key', undefined],
    ['temp_max', 'quantity', 'avg'],
    ['rain', 'quantity', 'sum'],
  ]);
});

test('a few small numbers named as a code refer to nothing that is not named like them', () => {
  const model = draft({
    parcel: {
      parcel_no: many(60, (i) => i + 1),
      tract: many(60, (i) => 3 * i + 1),
      worth: many(60, (i) => i * 1.5),
    },
    reading: {
      taken: many(300, (i) => i * 17),
      mote_id: many(300, (i) => [1, 4, 7, 10][i % 4]!),
      humidity: many(300, (i) => 40 + (i % 30) / 10),
    },
  });
  expect(model.relationships ?? []).toEqual([]);
});

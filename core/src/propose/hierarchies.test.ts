import { draft, many } from './drafted.ts';

const towns = many(12, (i) => `Town ${i}`);
const branch = (county: (town: number) => string) => ({
  branch_no: many(60, (i) => 700 + i),
  name: many(60, (i) => `Branch ${i}`),
  town: many(60, (i) => towns[i % 12]!),
  county: many(60, (i) => county(i % 12)),
  country: many(60, (i) => (i % 12 < 6 ? 'Upland' : 'Lowland')),
  phone: many(60, (i) => `0${i}`),
});

test('towns under counties are drafted as levels, with what was counted', () => {
  const model = draft({ branch: branch((town) => `County ${Math.floor(town / 3)}`) });
  expect(model.hierarchies).toMatchObject([
    {
      table: 'branch',
      levels: [
        { column: 'country' },
        { column: 'county' },
        { column: 'town' },
        { column: 'name', key: 'branch_no' },
      ],
    },
  ]);
});

test('what does not hold on all rows, or holds by accident, is not drafted', () => {
  // One town in two counties; and as many counties as towns, which is one level.
  const torn = branch((town) => `County ${Math.floor(town / 3)}`);
  const rows = torn.county.map((c, i) => (i === 59 ? 'County 0' : c));
  const levels = (draft({ branch: { ...torn, county: rows, country: torn.phone } }).hierarchies ?? []).map(
    (h) => (h.levels ?? []).map((l) => l.column),
  );
  expect(levels).toEqual([]);
  const few = Object.fromEntries(
    Object.entries(branch((town) => `County ${town % 3}`)).map(([name, values]) => [
      name,
      values.slice(0, 9),
    ]),
  );
  expect(draft({ branch: few }).hierarchies ?? []).toEqual([]);
});

test('a plan of accounts is recognised: accounts, those that they roll up to, and their names', () => {
  const accounts = {
    account: many(50, (i) => 100 + i),
    rolls_up_to: many(50, (i) => (i === 0 ? null : 100 + Math.floor((i - 1) / 3))),
    title: many(50, (i) => `Account ${i}`),
  };
  const model = draft({ accounts });
  expect(model.tables[0]).toMatchObject({ role: 'dimension', key: ['account'], label: 'title' });
  expect(model.hierarchies).toMatchObject([{ table: 'accounts', parent: 'rolls_up_to', label: 'title' }]);
});

test('of two columns that hardly differ in members the label of their table is the level', () => {
  const country = {
    id: many(40, (i) => i + 1),
    name: many(40, (i) => `Land ${i}`),
    native: many(40, (i) => (i === 39 ? 'Terra 38' : `Terra ${i}`)),
    continent: many(40, (i) => `Continent ${i % 5}`),
  };
  const city = {
    id: many(400, (i) => 5000 + 7 * i),
    name: many(400, (i) => `Town ${i}`),
    country_id: many(400, (i) => (i % 40) + 1),
  };
  const model = draft({ country, city });
  expect(model.tables.map((t) => t.role)).toEqual(['dimension', 'dimension']);
  const levels = model.hierarchies!.find((h) => h.table === 'city')!.levels!.map((l) => l.column);
  expect(levels).toEqual(['country.continent', 'country.name', 'name']);
});

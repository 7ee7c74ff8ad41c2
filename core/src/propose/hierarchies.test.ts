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

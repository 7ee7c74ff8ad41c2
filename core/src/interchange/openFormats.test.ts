import { judgeModel } from '../claims/index.ts';
import { DocumentError } from '../model/index.ts';
import type { Model } from '../model/index.ts';
import { ModelData } from '../query/index.ts';
import { tableLoader } from '../sources/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import { INTEGER, TEXT } from '../values/index.ts';
import {
  cataloguePage,
  claimsJunit,
  dataPackage,
  modelOfDataPackage,
  modelOfTableMetadata,
  openLineage,
  rdfStatements,
  tableMetadata,
} from './index.ts';

const MODEL: Model = {
  crease: 1,
  name: 'library',
  title: 'Library',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      key: ['no'],
      columns: [
        { name: 'no', type: 'integer', use: 'key' },
        { name: 'branch', type: 'text', use: 'reference' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity', description: 'in euros' },
        { name: 'at', type: 'timestamp' },
      ],
    },
    {
      name: 'branch',
      title: 'Branches',
      role: 'dimension',
      source: { file: 'branch.csv' },
      key: ['code'],
      columns: [
        { name: 'code', type: 'text', use: 'key' },
        { name: 'town', type: 'text' },
      ],
    },
    { name: 'raw', role: 'staging', source: { file: 'raw.csv' }, columns: [{ name: 'x', type: 'text' }] },
    {
      name: 'dear',
      role: 'fact',
      source: { steps: [{ from: 'loan' }, { filter: 'fine > 5' }] },
      columns: [{ name: 'no', type: 'integer' }],
    },
  ],
  relationships: [
    {
      name: 'lent_at',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
  ],
  hierarchies: [
    {
      name: 'Places',
      table: 'branch',
      levels: [
        { name: 'Town', column: 'branch.town' },
        { name: 'Branch', column: 'branch.code' },
      ],
    },
  ],
};
const fileOf = ({ name }: { name: string }) => `${name}.csv`;

test.each([
  ['a Data Package', modelOfDataPackage(dataPackage(MODEL, fileOf, new Date(0)))],
  ['CSV on the Web', modelOfTableMetadata(tableMetadata(MODEL, fileOf))],
])('a model written as %s is read as the same tables, keys, types and references', (_, { model, notes }) => {
  expect(notes).toEqual([]);
  const shape = (m: Model) =>
    m.tables
      .filter((t) => t.role !== 'staging' && t.name !== 'dear')
      .map((t) => [t.name, t.role, t.key, t.columns.map((c) => [c.name, c.type])]);
  expect(shape(model)).toEqual(shape(MODEL));
  expect(model.relationships!.map((r) => [r.from, r.to])).toEqual(
    MODEL.relationships!.map((r) => [r.from, r.to]),
  );
  expect(model.tables[0]!.columns[2]!.description).toBe('in euros');
  expect(model.tables[0]!.columns[1]!.use).toBe('reference');
});

test('descriptions of others: other types, one table alone, references out of it, what is left out is told', () => {
  const { model, notes } = modelOfDataPackage({
    name: 'others',
    resources: [
      {
        name: 'sale',
        path: ['sale-1.csv', 'sale-2.csv'],
        dialect: { delimiter: ';' },
        schema: {
          fields: [
            { name: 'place', type: 'geopoint' },
            { name: 'when', type: 'datetime' },
            { name: 'n', type: 'number' },
          ],
          primaryKey: 'place',
          foreignKeys: [{ fields: 'place', reference: { resource: 'shop', fields: 'id' } }],
        },
      },
      { name: 'picture', path: 'picture.png' },
    ],
  });
  expect(model.tables).toEqual([
    {
      name: 'sale',
      role: 'dimension',
      source: { file: 'sale-1.csv', delimiter: ';' },
      key: ['place'],
      columns: [
        { name: 'place', type: 'text', use: 'key' },
        { name: 'when', type: 'timestamp' },
        { name: 'n', type: 'double' },
      ],
    },
  ]);
  expect(notes).toEqual([
    'sale lies in 2 files, of which the first is named',
    'sale.place is geopoint, which is read as text',
    'picture has no schema, and is left out',
    'sale refers to shop, which is not described',
  ]);
  const one = modelOfTableMetadata({
    '@context': 'http://www.w3.org/ns/csvw',
    url: 'https://example.org/files/tree%20ops.csv',
    tableSchema: {
      columns: [
        { titles: 'id', datatype: { base: 'long' } },
        { name: 'v', virtual: true },
      ],
    },
  });
  expect(one.model.tables[0]).toMatchObject({ name: 'tree ops', columns: [{ name: 'id', type: 'integer' }] });
  expect(() => modelOfDataPackage({ name: 'x' })).toThrow(DocumentError);
  expect(() => modelOfTableMetadata([])).toThrow(DocumentError);
});

test('lineage tells for each table what it was made of, with its columns', () => {
  const events = openLineage(MODEL, new Date('2026-06-30T10:00:00Z'), () => 'an-id') as {
    job: { name: string };
    inputs: { namespace: string; name: string }[];
    outputs: { name: string; facets: { schema: { fields: unknown[] } } }[];
  }[];
  expect(events.map((e) => [e.job.name, e.inputs.map((i) => i.name), e.outputs[0]!.name])).toEqual([
    ['rows of loan', ['loan.csv'], 'loan'],
    ['rows of branch', ['branch.csv'], 'branch'],
    ['rows of raw', ['raw.csv'], 'raw'],
    ['rows of dear', ['loan'], 'dear'],
  ]);
  expect(events[0]!.outputs[0]!.facets.schema.fields[2]).toEqual({
    name: 'fine',
    type: 'decimal(9,2)',
    description: 'in euros',
  });
});

test('the structure of a fact is told with its dimensions, measures and levels', () => {
  const found = rdfStatements(MODEL, 'urn:m:');
  const of = (subject: string, predicate: string) =>
    found
      .filter((s) => s.subject === subject && s.predicate.endsWith(`#${predicate}`))
      .map((s) => ('iri' in s.object ? s.object.iri : s.object.literal));
  expect(of('urn:m:structure/loan', 'component')).toEqual([
    'urn:m:structure/loan/dimension/lent_at',
    'urn:m:structure/loan/measure/fine',
  ]);
  expect(of('urn:m:dimension/lent_at', 'codeList')).toEqual(['urn:m:hierarchy/branch/Places']);
  expect(of('urn:m:hierarchy/branch/Places', 'levels')).toEqual([
    'urn:m:level/branch/Places/Town',
    'urn:m:level/branch/Places/Branch',
  ]);
  expect(of('urn:m:measure/loan/fine', 'range')).toEqual(['http://www.w3.org/2001/XMLSchema#decimal']);
});

test('claims as a JUnit report: failures block, warnings and waivers are skipped, texts are escaped', () => {
  const rows = new Map([
    [
      'loan',
      tableOf('loan', [columnOfValues('no', INTEGER, [1, 1]), columnOfValues('b', TEXT, ['<&"', 'x'])]),
    ],
  ]);
  const model: Model = {
    crease: 1,
    name: 'a "model" & more',
    tables: [
      {
        name: 'loan',
        role: 'fact',
        key: ['no'],
        source: { file: 'loan.csv' },
        columns: [
          { name: 'no', type: 'integer' },
          { name: 'b', type: 'text' },
        ],
      },
      { name: 'later', role: 'dimension', key: ['id'], columns: [{ name: 'id', type: 'integer' }] },
    ],
  };
  const load = tableLoader(model, 0, (t) => {
    const found = rows.get(t.name);
    if (!found) throw new Error('none');
    return found;
  });
  const claims = judgeModel(model, new ModelData(model, load, 0), '2026-06-30', () => undefined);
  const report = claimsJunit(claims, model, 1.5);
  expect(report).toContain('<testsuites name="a &quot;model&quot; &amp; more"');
  expect(report).toMatch(/tests="\d+" failures="1" errors="\d+" skipped="0" time="1\.500"/);
  expect(report).toMatch(
    /<testcase classname="key-unique" name="[^"]*loan[^"]*"><failure message="[^"]*share their no/,
  );
  expect(report.match(/<testcase/g)).toHaveLength(claims.length);
});

test('the catalogue says what everything is, escapes what people wrote, and runs nothing', () => {
  const model: Model = {
    ...MODEL,
    title: 'A <b>library</b>',
    description: '<script>alert(1)</script>',
    measures: [{ name: 'Fines', formula: 'sum(loan.fine) /* > 0 */', description: 'all "fines"' }],
    perspectives: [{ name: 'Desk', tables: ['branch'], measures: [{ measure: 'Fines', title: 'F' }] }],
  };
  const page = cataloguePage(model, new Date('2026-06-30T10:00:00Z'));
  expect(page).not.toMatch(/<script|<b>library/);
  expect(page).toContain("default-src 'none'");
  expect(page).toContain('<title>A &lt;b&gt;library&lt;/b&gt;</title>');
  expect(page).toContain('<code>sum(loan.fine) /* &gt; 0 */</code>');
  expect(page).toContain('branch → <a href="#table-branch">branch</a> (code)');
  expect(page).toContain('Town › Branch');
  expect(page).toContain('<b>Desk</b> sees tables: branch; measures: Fines');
  expect(page).not.toContain('id="claims"');
});

import type { Model } from '../model/index.ts';
import { createTables, csvLine } from './index.ts';

const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      grain: 'one loan',
      key: ['id', 'line'],
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'line', type: 'integer' },
        { name: 'branch "no"', type: 'text' },
        { name: 'fine', type: 'decimal(9,2)' },
      ],
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      columns: [
        { name: 'code', type: 'text' },
        { name: 'opened', type: 'date' },
      ],
    },
    { name: 'raw', role: 'staging', columns: [{ name: 'x', type: 'text' }] },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch "no"'] },
      to: { table: 'branch', columns: ['code'] },
    },
    {
      name: 'by_level',
      from: { table: 'loan', columns: ['fine'] },
      to: { table: 'branch', columns: ['opened'] },
      cardinality: 'many-to-level',
    },
  ],
};

test('PostgreSQL: tables with keys, then foreign keys; names are quoted, staging is left out', () => {
  expect(createTables(model, 'postgresql')).toBe(`create table "branch" (
  "code" text not null,
  "opened" date,
  primary key ("code")
);

-- one loan
create table "loan" (
  "id" bigint not null,
  "line" bigint not null,
  "branch ""no""" text,
  "fine" numeric(9, 2),
  primary key ("id", "line")
);

alter table "loan" add constraint "loan_branch" foreign key ("branch ""no""") references "branch" ("code");
`);
});

test('SQLite: foreign keys stand in the table', () => {
  expect(createTables(model, 'sqlite')).toContain(
    '  constraint "loan_branch" foreign key ("branch ""no""") references "branch" ("code")\n);',
  );
});

test('fields are quoted where they must be', () => {
  expect(csvLine(['a', 'b,c', 'd"e', null, 1.5, true, 'x\ny'])).toBe('a,"b,c","d""e",,1.5,true,"x\ny"\n');
});

test.each([
  ['postgresql', 1600],
  ['sqlite', 2000],
] as const)('%s takes %d columns, and more are refused before anything is written', (dialect, most) => {
  const wide = (n: number): Model => ({
    crease: 1,
    name: 'm',
    tables: [
      {
        name: 'wide',
        role: 'fact',
        columns: Array.from({ length: n }, (_, i) => ({ name: `c${i}`, type: 'integer' })),
      },
    ],
  });
  expect(createTables(wide(most), dialect)).toContain(`"c${most - 1}"`);
  expect(() => createTables(wide(most + 1), dialect)).toThrow(
    `wide has ${most + 1} columns, a table of this database at most ${most}`,
  );
});

test('core SQL: types that every database of the standard has, references within, circles told', () => {
  const circle: Model = {
    ...model,
    tables: [
      {
        ...model.tables[1]!,
        columns: [
          { name: 'code', type: 'text', length: 8 },
          { name: 'open', type: 'boolean' },
          { name: 'head', type: 'text' },
          { name: 'seen', type: 'timestamp' },
        ],
      },
      {
        name: 'staff',
        role: 'dimension',
        key: ['id'],
        columns: [{ name: 'id', type: 'text', identity: true }],
      },
    ],
    relationships: [
      {
        name: 'led_by',
        from: { table: 'branch', columns: ['head'] },
        to: { table: 'staff', columns: ['id'] },
      },
      {
        name: 'works_at',
        from: { table: 'staff', columns: ['id'] },
        to: { table: 'branch', columns: ['code'] },
      },
    ],
  };
  expect(createTables(circle, 'sql').split('\n').slice(1).join('\n'))
    .toBe(`-- left out, since it closes a circle: works_at
create table "staff" (
  "id" character varying(4000) not null,
  primary key ("id")
);

create table "branch" (
  "code" character varying(8) not null,
  "open" smallint check ("open" in (0, 1)),
  "head" character varying(4000),
  "seen" timestamp,
  primary key ("code"),
  constraint "led_by" foreign key ("head") references "staff" ("id")
);
`);
});

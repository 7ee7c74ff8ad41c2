import { applyEdit } from '@crease/core/edit';
import { createTables } from '@crease/core/interchange';
import type { Model } from '@crease/core/model';
import { designOfSql } from '../src/sources/sqlDesign.ts';
import { statementsOf } from '../src/sources/sqlStatements.ts';

const POSTGRESQL = `
-- What is lent; and where.
create schema lending;
CREATE TABLE public.branch (
  branch_id bigint GENERATED ALWAYS AS IDENTITY,
  branch_code character varying(8) NOT NULL UNIQUE,
  "Name" text default 'a;b', opened date default now(), area numeric(9,2), tags text[],
  seen timestamp with time zone, is_open boolean, floors smallint, rent money, share double precision,
  notes jsonb, CONSTRAINT pk PRIMARY KEY (branch_id), check (area > 0)
);
COMMENT ON TABLE public.branch IS 'where it''s lent';
COMMENT ON COLUMN public.branch.branch_code IS 'code on the door';
CREATE TABLE loan (loan_no serial primary key, branch_id int references public.branch(branch_id) on delete cascade,
  back_at int references public.branch, fine decimal(8,2), copies numeric(6));
create table loan_author (loan_no int references loan, author_id int, weight numeric(5,4), primary key (loan_no, author_id));
create table author (author_id int primary key, name varchar(80), mentor int references author);
ALTER TABLE ONLY loan_author ADD CONSTRAINT who FOREIGN KEY (author_id) REFERENCES author(author_id);
create index on loan(branch_id);
do $$ begin; raise notice 'create table x(y int);'; end $$;
insert into author values (1, 'create table z (a int);');
`;

test('PostgreSQL: keys, references, comments, identity, lengths, types', () => {
  const { tables, relationships, notes } = designOfSql(POSTGRESQL);
  expect(notes).toEqual([]);
  expect(tables.map((t) => [t.name, t.role, t.key])).toEqual([
    ['branch', 'dimension', ['branch_id']],
    ['loan', 'fact', ['loan_no']],
    ['loan_author', 'bridge', ['loan_no', 'author_id']],
    ['author', 'dimension', ['author_id']],
  ]);
  expect(tables[0]!.description).toBe("where it's lent");
  expect(tables[0]!.columns).toEqual([
    { name: 'branch_id', type: 'integer', identity: true, use: 'key' },
    { name: 'branch_code', type: 'text', length: 8, description: 'code on the door', use: 'attribute' },
    { name: 'Name', type: 'text', use: 'attribute' },
    { name: 'opened', type: 'date', use: 'attribute' },
    { name: 'area', type: 'decimal(9,2)', use: 'attribute' },
    { name: 'tags', type: 'text', use: 'attribute' },
    { name: 'seen', type: 'timestamp', use: 'attribute' },
    { name: 'is_open', type: 'boolean', use: 'attribute' },
    { name: 'floors', type: 'integer', use: 'attribute' },
    { name: 'rent', type: 'decimal(19,2)', use: 'attribute' },
    { name: 'share', type: 'double', use: 'attribute' },
    { name: 'notes', type: 'text', use: 'attribute' },
  ]);
  expect(
    relationships.map((r) => [
      r.name,
      `${r.from.table}.${r.from.columns.join()}`,
      `${r.to.table}.${r.to.columns.join()}`,
      r.default ?? true,
    ]),
  ).toEqual([
    ['loan_branch', 'loan.branch_id', 'branch.branch_id', true],
    ['loan_back_at', 'loan.back_at', 'branch.branch_id', false],
    ['loan_author_loan', 'loan_author.loan_no', 'loan.loan_no', true],
    ['who', 'loan_author.author_id', 'author.author_id', true],
    // To itself: no default way.
    ['author_mentor', 'author.mentor', 'author.author_id', false],
  ]);
});

test('SQLite: names in brackets and backticks, rows that are numbered, references without a column', () => {
  const { tables, relationships, notes } = designOfSql(
    'CREATE TABLE "loan" (`loan_no` INTEGER PRIMARY KEY AUTOINCREMENT, [branch code] VARCHAR(8) NOT NULL REFERENCES branch, fine REAL DEFAULT 0, due DATETIME, UNIQUE(fine)) ;\n' +
      'CREATE TABLE IF NOT EXISTS [branch] ([code] TEXT PRIMARY KEY, a INT, b INT, FOREIGN KEY (a, b) REFERENCES place (x, y)) WITHOUT ROWID;\n' +
      'CREATE TABLE [place] (x INT, y INT, PRIMARY KEY (x, y)) WITHOUT ROWID',
  );
  expect(notes).toEqual([]);
  expect(tables.map((t) => [t.name, t.role, t.key])).toEqual([
    ['loan', 'fact', ['loan_no']],
    ['branch', 'dimension', ['code']],
    ['place', 'dimension', ['x', 'y']],
  ]);
  expect(tables[0]!.columns).toEqual([
    { name: 'loan_no', type: 'integer', identity: true, use: 'key' },
    { name: 'branch code', type: 'text', length: 8, use: 'reference' },
    { name: 'fine', type: 'double', use: 'quantity' },
    { name: 'due', type: 'timestamp', use: 'attribute' },
  ]);
  expect(relationships.map((r) => [r.from.columns, r.to.table, r.to.columns])).toEqual([
    [['branch code'], 'branch', ['code']],
    [['a', 'b'], 'place', ['x', 'y']],
  ]);
});

test('what cannot be read is named with its line, and the rest is read', () => {
  const { tables, notes } = designOfSql(
    "create table a (x int primary key);\n\ncreate table b (x int,, y);\ncreate table c (x int references gone(y));\ncomment on table nowhere is 'x';",
  );
  expect(tables.map((t) => t.name)).toEqual(['a', 'c']);
  expect(notes.map((n) => n.line)).toEqual([3, 4]);
  expect(notes[1]!.text).toBe('c refers to gone, which is not created here');
  expect(designOfSql('').tables).toEqual([]);
  expect(designOfSql("select 'create table x (y int)'").tables).toEqual([]);
});

test('a table that is made of a query is not made: the query is not run', () => {
  const endless = 'with recursive c(x) as (select 1 union all select x + 1 from c) select x from c';
  for (const sql of [`create table t as ${endless}`, `create temp table [t] as ${endless}`]) {
    const { tables, notes } = designOfSql(sql);
    expect(tables).toEqual([]);
    expect(notes.length).toBeLessThanOrEqual(1);
  }
});

test('tables of one name in two schemas are told apart', () => {
  const { tables, relationships } = designOfSql(
    'create table a.place (id int primary key); create table b.place (id int primary key, up int references a.place(id));',
  );
  expect(tables.map((t) => t.name)).toEqual(['a_place', 'b_place']);
  expect(relationships[0]!.to.table).toBe('a_place');
});

test('what the model writes as DDL is read back', () => {
  const { tables, relationships } = designOfSql(POSTGRESQL);
  const model = { crease: 1, name: 'm', tables, relationships } as Model;
  const again = designOfSql(createTables(applyEdit(model, []), 'postgresql'));
  const plain = (of: typeof tables) =>
    Object.fromEntries(
      of.map((t) => [
        t.name,
        { key: t.key, columns: t.columns.map((c) => [c.name, c.type, c.length, c.identity]) },
      ]),
    );
  expect(plain(again.tables)).toEqual(plain(tables));
  const ends = (of: typeof relationships) => of.map((r) => [r.name, r.from, r.to]).sort();
  expect(ends(again.relationships)).toEqual(ends(relationships));
});

test('statements end at semicolons that stand in nothing', () => {
  const found = statementsOf(
    '-- a; b\nselect \';\' , "x;"\n/* ; */ from [a;b];\n\n$tag$ ; $tag$; select `;`',
  );
  expect(found.map((s) => s.line)).toEqual([2, 5, 5]);
  expect(statementsOf(' ;; \n -- only a remark').length).toBe(0);
  expect(statementsOf("select 'open; and open").length).toBe(1);
});

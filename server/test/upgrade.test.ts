import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import Database from 'better-sqlite3';
import { valueAt } from '@crease/core/columns';
import { writeModel } from '@crease/core/model';
import { Models, openWorkspace, Tables, Verdicts } from '../src/store/index.ts';
import { MIGRATIONS } from '../src/store/database.ts';

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'crease-upgrade-'))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const document = writeModel({
  crease: 1,
  name: 'small',
  tables: [{ name: 'loan', role: 'fact', columns: [] }],
});

/** A workspace as a program of that version left it, with one model. */
function workspaceOf(version: number): string {
  const file = join(folder, 'w.sqlite');
  const db = new Database(file);
  db.pragma('foreign_keys = OFF');
  for (const step of MIGRATIONS.slice(0, version)) db.exec(step);
  db.prepare('insert into model (id, head, created_at) values (1, 1, ?)').run('2026-01-01');
  db.prepare(
    'insert into revision (id, model_id, parent_id, number, document, says, at) values (1, 1, null, 1, ?, ?, ?)',
  ).run(document, 'Began', '2026-01-01');
  db.pragma(`user_version = ${version}`);
  db.close();
  return file;
}

test.each(Array.from({ length: MIGRATIONS.length }, (_, i) => i + 1))(
  'a workspace of version %i opens with its model, and can be edited and undone',
  (version) => {
    const file = workspaceOf(version);
    const db = openWorkspace(file);
    const models = new Models(db);
    const began = models.head(1);
    expect(writeModel(began.model)).toBe(document);
    const edited = models.edit(1, 1, [{ do: 'set-table', table: 'loan', change: { grain: 'one' } }], 'grain');
    expect(models.undo(1, edited.id)!.model).toEqual(began.model);
    expect(db.pragma('integrity_check', { simple: true })).toBe('ok');
    expect(db.pragma('foreign_key_check')).toEqual([]);
    expect(existsSync(`${file}.version-${version}`)).toBe(false);
    db.close();
  },
);

test('a workspace of an earlier program keeps its rows, history and verdicts', () => {
  const file = join(folder, 'w.sqlite');
  const kept = new URL('./fixtures/workspace-11.sqlite.gz', import.meta.url);
  writeFileSync(file, gunzipSync(readFileSync(kept)));
  const db = openWorkspace(file);
  const models = new Models(db);
  const head = models.head(1);
  expect(models.history(1).map(({ number, says, by, isHead }) => [number, says, by, isHead])).toEqual([
    [3, 'title', 'window', false],
    [2, 'the grain of loan', 'window', true],
    [1, 'Began', '', false],
  ]);
  expect(head.model.tables[0]!.grain).toBe('one loan');
  const tables = new Tables(db);
  const loan = tables.read(tables.rows.versions(1)['loan.csv']!, 'loan');
  const branch = loan.columns.get('branch')!;
  expect([0, 1, 2].map((row) => valueAt(branch, row))).toEqual(['North', 'South', null]);
  expect(models.redo(1, head.id)!.model.title).toBe('Small library');
  expect(new Verdicts(db).all(1)).toHaveLength(1);
  db.close();
});

test('where an upgrade fails, the workspace stays as it was and a copy of it lies beside', () => {
  const file = workspaceOf(5);
  const broken = new Database(file);
  broken.exec('drop table stored_column');
  broken.close();
  expect(() => openWorkspace(file)).toThrow(/cannot be opened/);
  expect(existsSync(`${file}.version-5`)).toBe(true);
  const db = new Database(file);
  expect(db.pragma('user_version', { simple: true })).toBe(5);
  expect(db.prepare('select document from revision').pluck().get()).toBe(document);
  db.close();
});

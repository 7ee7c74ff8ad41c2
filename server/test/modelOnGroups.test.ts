import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import type { Model } from '@crease/core/model';
import { ModelOnGroups } from '../src/warehouse.ts';

const folder = mkdtempSync(join(tmpdir(), 'crease-groups-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('models that are opened on one file are asked each as they are', async () => {
  const file = join(folder, 'visits.db');
  const database = new Database(file);
  database.exec('create table visit (visitors integer); insert into visit values (1), (2), (4)');
  database.close();
  const answered = async (formula: string) => {
    const model: Model = {
      ...{ crease: 1, name: 'visits' },
      tables: [{ name: 'visit', role: 'fact', columns: [{ name: 'visitors', type: 'integer' }] }],
      measures: [{ name: 'Visitors', formula }],
    };
    const held = () => {
      throw new TypeError('nothing is held here');
    };
    const order = { model, connection: 'visits', held, today: 0, timeoutMs: 60_000 };
    const on = await ModelOnGroups.open({ kind: 'sqlite', file }, order);
    return (await on.answer({ measures: ['Visitors'] })).rows;
  };
  expect(await answered('sum(visit.visitors)')).toEqual([[7]]);
  expect(await answered('max(visit.visitors)')).toEqual([[4]]);
});

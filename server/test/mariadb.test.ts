import { mariadbEngine } from '../src/warehouse/engines/mariadb.ts';
import { answersAsColumnsDo } from './engineSuite.ts';
import type { MariadbServer } from './mariadb.ts';
import { startMariadb, writeMariadb } from './mariadb.ts';

let server: MariadbServer;
beforeAll(async () => void (server = await startMariadb()), 120_000);
afterAll(() => server?.stop(), 60_000);
let databases = 0;

describe('questions and claims', () => {
  answersAsColumnsDo(async (data) => {
    const database = `world_${++databases}`;
    await writeMariadb(server.connection, database, data);
    return mariadbEngine({ ...server.place, database });
  });
});

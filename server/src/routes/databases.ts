import type { UploadState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Databases: connections and their accounts, what tables they have, and samples of those. */
export function databaseRoutes({ databases, uploads }: Workspace, serve: Serve): void {
  serve(api.databases.list, () => databases.list());
  serve(api.databases.put, ({ body }) => {
    databases.put(body);
    return databases.list();
  });
  serve(api.databases.setAccount, ({ body }) => {
    databases.setAccount(body);
    return databases.list();
  });
  serve(api.databases.remove, ({ params }) => databases.remove(params.connection));
  serve(api.databases.test, async ({ params }) => ({
    server: await databases.reader(params.connection).test(),
  }));
  serve(api.databases.tables, ({ params }) => databases.reader(params.connection).tables());
  serve(api.databases.rights, ({ params, body }) => databases.reader(params.connection).rights(body.tables));
  serve(api.databases.sample, async ({ params: { connection }, body }) => {
    const reader = databases.reader(connection);
    const sampled: UploadState[] = [];
    // One after the other: a database is not to be asked for hundreds of tables at once.
    for (const table of body.tables) sampled.push(await uploads.sample(connection, reader, table));
    return sampled;
  });
}

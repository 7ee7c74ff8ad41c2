import { Router } from 'express';
import { accountRequest, connectionRequest, drawRequest, rightsRequest } from '@crease/contract';
import type { ConnectionsState, DatabaseTable, RightsState, TestState, UploadState } from '@crease/contract';
import type { Workspace } from '../workspace.ts';
import { answer, body, param } from './handle.ts';

/** Databases: connections and their accounts, what tables they have, and samples of those. */
export function databaseRoutes(workspace: Workspace): Router {
  const router = Router();
  const { databases, arrivals } = workspace;

  router.get(
    '/connections',
    answer((): ConnectionsState => databases.list()),
  );
  router.put(
    '/connections',
    answer((request): ConnectionsState => {
      databases.put(body(request, connectionRequest));
      return databases.list();
    }),
  );
  router.put(
    '/account',
    answer((request): ConnectionsState => {
      databases.setAccount(body(request, accountRequest));
      return databases.list();
    }),
  );
  router.delete(
    '/connections/:connection',
    answer((request) => databases.remove(param(request, 'connection'))),
  );
  router.post(
    '/connections/:connection/test',
    answer(async (request): Promise<TestState> => ({
      server: await databases.reader(param(request, 'connection')).test(),
    })),
  );
  router.get(
    '/connections/:connection/tables',
    answer((request): Promise<DatabaseTable[]> => databases.reader(param(request, 'connection')).tables()),
  );
  router.post(
    '/connections/:connection/rights',
    answer((request): Promise<RightsState> =>
      databases.reader(param(request, 'connection')).rights(body(request, rightsRequest).tables),
    ),
  );
  router.post(
    '/connections/:connection/draw',
    answer(async (request): Promise<UploadState[]> => {
      const connection = param(request, 'connection');
      const { tables } = body(request, drawRequest);
      const reader = databases.reader(connection);
      const drawn: UploadState[] = [];
      // One after the other: a database is not to be asked for hundreds of tables at once.
      for (const table of tables) drawn.push(await arrivals.sample(connection, reader, table));
      return drawn;
    }),
  );
  return router;
}

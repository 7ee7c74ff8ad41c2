import { Router } from 'express';
import { takeCalendarRequest } from '@crease/contract';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import { answer, body, idOf, param } from './handle.ts';

/** Calendars that models share. */
export function calendarRoutes(workspace: Workspace): Router {
  const { calendars, models } = workspace;
  const router = Router();

  router.get(
    '/models/:id/calendars',
    answer((request) => calendars.state(idOf(request))),
  );

  router.post(
    '/models/:id/calendars',
    answer((request) => {
      const id = idOf(request);
      const revision = calendars.take(id, {
        ...body(request, takeCalendarRequest),
        by: request.get('x-crease-tab') ?? '',
      });
      workspace.changed(id, revision, request.get('x-crease-tab') ?? '');
      return { revision: revision.id };
    }),
  );

  router.post(
    '/models/:id/calendars/:table/follow',
    answer((request) => {
      const [id, table] = [idOf(request), param(request, 'table')];
      const link = calendars.state(id).links.find((l) => l.table.toLowerCase() === table.toLowerCase());
      if (!link) throw new ServerError('not-found', `${table} follows no calendar`);
      if (link.model === null)
        throw new ServerError(
          'cannot-answer',
          `the calendar that ${table} follows is not in this workspace any more`,
        );
      if (calendars.follow(id, table))
        workspace.changed(id, models.head(id), request.get('x-crease-tab') ?? '');
      return calendars.state(id);
    }),
  );

  return router;
}

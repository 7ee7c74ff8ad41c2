import { api } from '@crease/contract';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Calendars that models share. */
export function calendarRoutes({ calendars, models, changed }: Workspace, serve: Serve): void {
  serve(api.calendars.get, ({ params }) => calendars.state(params.id));

  serve(api.calendars.take, ({ params, body, by }) => {
    const revision = calendars.take(params.id, { ...body, by });
    changed(params.id, revision, by);
    return { revision: revision.id };
  });

  serve(api.calendars.follow, ({ params: { id, table }, by }) => {
    const link = calendars.state(id).links.find((l) => l.table.toLowerCase() === table.toLowerCase());
    if (!link) throw new ServerError('not-found', `${table} follows no calendar`);
    if (link.model === null)
      throw new ServerError(
        'cannot-answer',
        `the calendar that ${table} follows is not in this workspace any more`,
      );
    if (calendars.follow(id, table)) changed(id, models.head(id), by);
    return calendars.state(id);
  });
}

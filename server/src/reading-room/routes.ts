import { api } from '@crease/contract';
import { cataloguePage } from '@crease/core/interchange';
import { sendAnswer } from '../routes/answerFile.ts';
import type { Serve } from '../routes/serve.ts';
import { SENT } from '../routes/serve.ts';
import type { ReadingRoom } from './room.ts';

/** A released model for its readers; none of these writes. */
export function readingRoomRoutes(room: ReadingRoom, serve: Serve): void {
  const { released } = api;

  serve(released.list, () => room.list());
  serve(released.get, ({ params: { model, perspective }, search }) =>
    room.state(model, perspective, search.release),
  );
  serve(released.newest, ({ params: { model, perspective } }) => room.newest(model, perspective));
  serve(released.query, ({ params: { model, perspective }, body: { query, texts, release }, signal }) =>
    room.query(room.open(model, perspective, release), query, texts, signal),
  );
  serve(released.rowsBehind, ({ params: { model, perspective }, body: { release, ...request }, signal }) =>
    room.rowsBehind(room.open(model, perspective, release), request, signal),
  );
  serve(released.values, ({ params: { model, perspective }, search, signal }) =>
    room.values(room.open(model, perspective, search.release), search.column, search.search, signal),
  );
  serve(released.trial, async ({ params: { model, perspective, trial }, search, signal, response }) => {
    const opened = room.open(model, perspective, search.release);
    const { elapsedMs: _elapsed, ...answer } = await room.trial(opened, trial, signal);
    if (search.as === 'json') return answer;
    sendAnswer(response, answer, search.as, trial);
    return SENT;
  });
  serve(released.catalogue, ({ params: { model, perspective }, search, response }) => {
    const { view, released: of, title } = room.open(model, perspective, search.release);
    // The columns by which tables hang together are not shown.
    const shown = {
      ...view.model,
      relationships: [],
      title: `${view.model.title ?? view.model.name}: ${title}`,
    };
    response.type('text/html');
    return cataloguePage(shown, new Date(of.entry.at));
  });
}

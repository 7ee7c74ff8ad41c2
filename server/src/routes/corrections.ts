import { api } from '@crease/contract';
import { enterCorrections } from '../corrections/enter.ts';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';

/** Values by hand: entered, listed with their history, read from files and written to them. */
export function correctionRoutes(workspace: Workspace, serve: Serve): void {
  const { pool, clock } = workspace;
  const { corrections } = api;

  serve(corrections.get, ({ params: { id }, search, signal }) =>
    pool.run('corrections', { ...workspace.task(id), ...search }, signal),
  );
  serve(corrections.add, ({ params: { id }, body: { of, entries, author }, by }) =>
    enterCorrections(
      workspace,
      id,
      { of, mode: 'add', by },
      { entries, author: author ?? process.env.CREASE_AUTHOR ?? null, at: clock.now().toISOString() },
    ),
  );
  serve(corrections.read, ({ params: { id }, body: { of, text, mode }, by }) =>
    enterCorrections(workspace, id, { of, mode, by }, { text }),
  );
  serve(corrections.file, async ({ params: { id }, search: { of }, response }) => {
    const text = await pool.run('correctionsFile', { ...workspace.task(id), of });
    if (text === null) throw new ServerError('not-found', `${of} has no corrections here`);
    response.type('text/csv').attachment(`${of.replace(/[^\p{L}\p{N}_.-]+/gu, '_')}.corrections.csv`);
    return text;
  });
}

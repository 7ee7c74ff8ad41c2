import { api } from '@crease/contract';
import { applyEdit } from '@crease/core/edit';
import { readModel, readQuery, writeModel } from '@crease/core/model';
import type { Workspace } from '../workspace.ts';
import { sendAnswer } from './answerFile.ts';
import type { Serve } from './serve.ts';
import { SENT } from './serve.ts';

/** Claims, and what an edit would do to them. */
export function claimRoutes(workspace: Workspace, serve: Serve): void {
  const { claims, pool } = workspace;

  serve(api.claims.get, ({ params }) => claims.state(params.id));
  serve(api.claims.judge, ({ params }) => {
    claims.refresh(params.id);
    return claims.state(params.id);
  });
  serve(api.claims.preview, ({ params, body: { edit } }) => {
    const task = workspace.task(params.id);
    const document = writeModel(applyEdit(readModel(task.document), edit));
    return pool.run('previewEdit', { ...task, document, known: claims.known(params.id) });
  });
  serve(api.claims.interest, ({ params, body }) => claims.interest(params.id, body.names));
}

/** Questions about a model and its rows, answered by worker threads. */
export function questionRoutes(workspace: Workspace, serve: Serve): void {
  const { pool } = workspace;
  const { questions, shaping } = api;
  const of = (id: number) => workspace.task(id);

  serve(questions.query, ({ params, body: { query, texts, revision, rows }, signal }) =>
    pool.run(
      'query',
      {
        query,
        texts,
        ...(revision === undefined ? of(params.id) : workspace.taskAt(params.id, revision, rows)),
      },
      signal,
    ),
  );
  serve(questions.answerFile, async (asked): Promise<typeof SENT> => {
    const {
      params: { id },
      search: { q, as },
      signal,
      response,
    } = asked;
    const task = of(id);
    const query = readQuery(q);
    const { elapsedMs: _elapsed, ...answer } = await pool.run(
      'query',
      { query, texts: 'code points', ...task },
      signal,
    );
    sendAnswer(response, answer, as, `${readModel(task.document).name}.trial`);
    return SENT;
  });
  serve(questions.rowsBehind, ({ params, body, signal }) =>
    pool.run('rowsBehind', { ...body, ...of(params.id) }, signal),
  );
  serve(questions.explain, ({ params, body, signal }) =>
    pool.run('explain', { ...body, ...of(params.id) }, signal),
  );
  serve(questions.trace, ({ params, body, signal }) =>
    pool.run('trace', { ...body, ...of(params.id) }, signal),
  );
  serve(questions.sql, ({ params, body, signal }) => pool.run('sql', { ...body, ...of(params.id) }, signal));
  serve(questions.additivity, ({ params, search, signal }) =>
    pool.run('additivity', { ...search, ...of(params.id) }, signal),
  );
  serve(questions.askBoth, ({ params, body, signal }) =>
    pool.run('askBoth', { ...body, ...of(params.id) }, signal),
  );
  serve(questions.formula, ({ params, body }) => pool.run('formula', { ...body, ...of(params.id) }));
  serve(questions.formulaUses, ({ params }) => pool.run('formulaUses', of(params.id)));
  serve(questions.columnFormula, ({ params, body }) =>
    pool.run('columnFormula', { ...body, ...of(params.id) }),
  );
  serve(questions.members, ({ params, body }) => pool.run('members', { ...body, ...of(params.id) }));
  serve(questions.match, ({ params, body }) => pool.run('match', { ...body, ...of(params.id) }));
  serve(questions.levels, ({ params, body }) => pool.run('levels', { ...body, ...of(params.id) }));
  serve(questions.foundLevels, ({ params, search }) =>
    pool.run('foundLevels', { ...search, ...of(params.id) }),
  );
  serve(questions.starAdvice, ({ params }) => pool.run('starAdvice', of(params.id)));
  serve(questions.briefs, ({ params }) => pool.run('briefs', of(params.id)));
  serve(questions.types, ({ params }) => pool.run('types', of(params.id)));
  serve(questions.proposals, ({ params, search }) => pool.run('proposals', { ...search, ...of(params.id) }));
  serve(questions.draft, ({ params, body }) => pool.run('proposals', { ...body, ...of(params.id) }));
  serve(questions.columns, ({ params: { id, table } }) => pool.run('columns', { table, ...of(id) }));
  serve(questions.rows, ({ params: { id, table }, search }) =>
    pool.run('rows', { table, ...search, ...of(id) }),
  );
  serve(questions.values, ({ params, search }) => pool.run('values', { ...search, ...of(params.id) }));
  serve(shaping.trace, ({ params, body }) => pool.run('steps', { ...body, ...of(params.id) }));
  serve(shaping.rows, ({ params, body }) => pool.run('stepRows', { ...body, ...of(params.id) }));
}

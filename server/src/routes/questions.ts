import { api } from '@crease/contract';
import { applyEdit } from '@crease/core/edit';
import { readModel, readQuery, writeModel } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import { sendAnswer } from './answerFile.ts';
import { sameName, splitPath } from '@crease/core/model';
import type { Hierarchy, Query } from '@crease/core/model';
import type { Decided, ReferencePattern } from '@crease/core/propose';
import { browseMembers, levelFacts } from '@crease/core/query';
import type { TextOrder } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { WorkFault } from '../threads/workFault.ts';
import { proposalsOn } from '../warehouse/proposals.ts';
import { columnFactsOn, rowPageOn } from '../warehouse/looks.ts';
import { groupedTable } from '../grouped/which.ts';
import { passedTables } from '../warehouse/passedThrough.ts';
import type { ModelOnWarehouse } from '../warehouse/warehouse.ts';
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

/** A hierarchy is named by its path, or given whole. */
const tableOfHierarchy = (hierarchy: string | Hierarchy): string =>
  typeof hierarchy === 'string' ? (splitPath(hierarchy)?.[0] ?? hierarchy) : hierarchy.table;

async function timed<T>(act: () => Promise<T>): Promise<T & { elapsedMs: number }> {
  const start = performance.now();
  const answer = await act();
  return { ...answer, elapsedMs: Math.round((performance.now() - start) * 10) / 10 };
}

/** Questions about a model and its rows, answered by worker threads. */
export function questionRoutes(workspace: Workspace, serve: Serve): void {
  const { pool } = workspace;
  const { questions, shaping } = api;
  const of = (id: number) => workspace.task(id);
  /** Has a thread answer; where rows are passed through, their database. */
  const orThere = async <T>(
    version: ModelVersion,
    here: Promise<T>,
    there: (on: ModelOnWarehouse) => Promise<T>,
    signal?: AbortSignal,
  ): Promise<T> => {
    try {
      return await here;
    } catch (error) {
      if (!(error instanceof WorkFault) || error.fault !== 'passed-through') throw error;
      return workspace.passed.ask(version, there, signal);
    }
  };
  const answer = (version: ModelVersion, query: Query, texts: TextOrder, signal: AbortSignal) =>
    orThere(
      version,
      pool.run('query', { query, texts, ...version }, signal),
      (on) => timed(() => on.answer(query, { keys: true, goals: true })),
      signal,
    );

  serve(questions.query, ({ params, body: { query, texts, revision, rows }, signal }) =>
    answer(
      revision === undefined ? of(params.id) : workspace.taskAt(params.id, revision, rows),
      query,
      texts,
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
    const { elapsedMs: _elapsed, ...found } = await answer(task, query, 'code points', signal);
    sendAnswer(response, found, as, `${readModel(task.document).name}.trial`);
    return SENT;
  });
  serve(questions.rowsBehind, ({ params, body, signal }) =>
    orThere(
      of(params.id),
      pool.run('rowsBehind', { ...body, ...of(params.id) }, signal),
      (on) => on.rowsBehind(body),
      signal,
    ),
  );
  /** What only columns can tell. */
  const onColumns = async <T>(here: Promise<T>, instead: string): Promise<T> => {
    try {
      return await here;
    } catch (error) {
      if (!(error instanceof WorkFault) || error.fault !== 'passed-through') throw error;
      throw new ServerError('cannot-answer', `this is not told of rows that are passed through: ${instead}`);
    }
  };
  serve(questions.explain, ({ params, body, signal }) =>
    onColumns(
      pool.run('explain', { ...body, ...of(params.id) }, signal),
      'SQL shows the statement that their database was asked',
    ),
  );
  serve(questions.trace, ({ params, body, signal }) =>
    onColumns(
      pool.run('trace', { ...body, ...of(params.id) }, signal),
      'the rows behind the number show what it is made of',
    ),
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
  serve(questions.members, ({ params, body, signal }) =>
    orThere(
      of(params.id),
      pool.run('members', { ...body, ...of(params.id) }),
      async (on) =>
        browseMembers(await on.withRowsOf([tableOfHierarchy(body.hierarchy)]), body.hierarchy, body.path),
      signal,
    ),
  );
  serve(questions.match, ({ params, body, signal }) =>
    orThere(
      of(params.id),
      pool.run('match', { ...body, ...of(params.id) }),
      (on) => on.look.match(body.from, body.to),
      signal,
    ),
  );
  serve(questions.levels, ({ params, body, signal }) =>
    orThere(
      of(params.id),
      pool.run('levels', { ...body, ...of(params.id) }),
      async (on) => levelFacts(await on.withRowsOf([tableOfHierarchy(body.hierarchy)]), body.hierarchy),
      signal,
    ),
  );
  serve(questions.foundLevels, ({ params, search }) =>
    pool.run('foundLevels', { ...search, ...of(params.id) }),
  );
  serve(questions.starAdvice, ({ params }) => pool.run('starAdvice', of(params.id)));
  serve(questions.briefs, ({ params }) => pool.run('briefs', of(params.id)));
  serve(questions.types, ({ params }) => pool.run('types', of(params.id)));
  const drafted = (
    id: number,
    asked: { pattern?: ReferencePattern | undefined } & Decided,
    signal: AbortSignal,
  ) => {
    const version = of(id);
    return orThere(
      version,
      pool.run('proposals', { ...asked, ...version }),
      async (on) => ({
        revision: version.revision,
        proposals: await proposalsOn(on, asked),
      }),
      signal,
    );
  };
  serve(questions.proposals, ({ params, search, signal }) => drafted(params.id, search, signal));
  serve(questions.draft, ({ params, body, signal }) => drafted(params.id, body, signal));
  serve(questions.columns, ({ params: { id, table }, signal }) => {
    const version = of(id);
    const { model } = workspace.models.head(id);
    const isAsked =
      passedTables(model).some((t) => sameName(t.name, table)) && !groupedTable(model, version, table);
    return isAsked
      ? workspace.passed.ask(version, (on) => columnFactsOn(on, table), signal)
      : pool.run('columns', { table, ...version });
  });
  serve(questions.rows, ({ params: { id, table }, search, signal }) =>
    orThere(
      of(id),
      pool.run('rows', { table, ...search, ...of(id) }),
      (on) => rowPageOn(on, table, search.offset, search.count),
      signal,
    ),
  );
  serve(questions.values, ({ params, search, signal }) =>
    orThere(
      of(params.id),
      pool.run('values', { ...search, ...of(params.id) }),
      (on) => on.look.values(search.column, search.search),
      signal,
    ),
  );
  serve(shaping.trace, ({ params, body }) => pool.run('steps', { ...body, ...of(params.id) }));
  serve(shaping.rows, ({ params, body }) => pool.run('stepRows', { ...body, ...of(params.id) }));
}

import { Router } from 'express';
import {
  browseRequest,
  columnFormulaRequest,
  formulaRequest,
  interestRequest,
  levelsRequest,
  matchRequest,
  queryRequest,
  sqlRequest,
  stepRowsRequest,
  stepsRequest,
  traceRequest,
  tryRequest,
} from '@crease/contract';
import type { TraceState } from '@crease/contract';
import { applyEdit } from '@crease/core/edit';
import type { Query } from '@crease/core/model';
import { readModel, writeModel } from '@crease/core/model';
import { REFERENCE_PATTERNS } from '@crease/core/propose';
import type { Workspace } from '../workspace.ts';
import { ServerError } from '../errors.ts';
import { answer, asked, body, idOf, param } from './handle.ts';

/** Questions about a model and its rows, answered by worker threads. */
export function questionRoutes(workspace: Workspace): Router {
  const router = Router();
  const { pool } = workspace;

  router.get(
    '/models/:id/claims',
    answer((request) => workspace.claims.state(idOf(request))),
  );

  /** Judges the claims again, after a run that failed. */
  router.post(
    '/models/:id/claims/judge',
    answer((request) => {
      const id = idOf(request);
      workspace.claims.refresh(id);
      return workspace.claims.state(id);
    }),
  );

  /** What an edit would do to the claims; it is not made. */
  router.post(
    '/models/:id/try',
    answer((request) => {
      const id = idOf(request);
      const { edit } = body(request, tryRequest);
      const task = workspace.task(id);
      const document = writeModel(applyEdit(readModel(task.document), edit));
      return pool.run({
        kind: 'try',
        ...task,
        document,
        known: workspace.claims.known(id),
      });
    }),
  );

  router.put(
    '/models/:id/interest',
    answer((request) => {
      workspace.claims.interest(idOf(request), body(request, interestRequest).names);
      return {};
    }),
  );

  router.post(
    '/models/:id/query',
    answer((request) => {
      const { query, texts } = body(request, queryRequest);
      return pool.run({ kind: 'query', query, texts, ...workspace.task(idOf(request)) });
    }),
  );

  router.post(
    '/models/:id/trace',
    answer((request) => {
      const { query, cell } = body(request, traceRequest);
      return pool.run<TraceState>({
        kind: 'trace',
        query: query as Query,
        cell,
        ...workspace.task(idOf(request)),
      });
    }),
  );

  router.post(
    '/models/:id/sql',
    answer((request) =>
      pool.run({ kind: 'sql', ...body(request, sqlRequest), ...workspace.task(idOf(request)) }),
    ),
  );

  router.post(
    '/models/:id/formula',
    answer((request) => {
      const { formula, name } = body(request, formulaRequest);
      return pool.run({
        kind: 'formula',
        formula,
        ...(name === undefined ? {} : { name }),
        ...workspace.task(idOf(request)),
      });
    }),
  );

  router.post(
    '/models/:id/column-formula',
    answer((request) =>
      pool.run({
        kind: 'column-formula',
        ...body(request, columnFormulaRequest),
        ...workspace.task(idOf(request)),
      }),
    ),
  );

  router.post(
    '/models/:id/members',
    answer((request) => {
      const { hierarchy, path } = body(request, browseRequest);
      return pool.run({ kind: 'browse', hierarchy, path, ...workspace.task(idOf(request)) });
    }),
  );

  router.post(
    '/models/:id/match',
    answer((request) =>
      pool.run({ kind: 'match', ...body(request, matchRequest), ...workspace.task(idOf(request)) }),
    ),
  );
  router.post(
    '/models/:id/steps',
    answer((request) =>
      pool.run({ kind: 'steps', ...body(request, stepsRequest), ...workspace.task(idOf(request)) }),
    ),
  );
  router.post(
    '/models/:id/steps/rows',
    answer((request) =>
      pool.run({ kind: 'step-rows', ...body(request, stepRowsRequest), ...workspace.task(idOf(request)) }),
    ),
  );
  router.post(
    '/models/:id/levels',
    answer((request) =>
      pool.run({ kind: 'levels', ...body(request, levelsRequest), ...workspace.task(idOf(request)) }),
    ),
  );
  router.get(
    '/models/:id/found-levels',
    answer((request) =>
      pool.run({ kind: 'find-levels', table: asked(request, 'table'), ...workspace.task(idOf(request)) }),
    ),
  );
  router.get(
    '/models/:id/profile',
    answer((request) => pool.run({ kind: 'profile', ...workspace.task(idOf(request)) })),
  );
  router.get(
    '/models/:id/star-advice',
    answer((request) => pool.run({ kind: 'stars', ...workspace.task(idOf(request)) })),
  );
  router.get(
    '/models/:id/briefs',
    answer((request) => pool.run({ kind: 'briefs', ...workspace.task(idOf(request)) })),
  );
  router.get(
    '/models/:id/types',
    answer((request) => pool.run({ kind: 'types', ...workspace.task(idOf(request)) })),
  );
  router.get(
    '/models/:id/proposals',
    answer((request) => {
      const wanted = asked(request, 'pattern');
      const pattern = REFERENCE_PATTERNS.find((p) => p === wanted);
      if (wanted !== '' && !pattern)
        throw new ServerError('wrong-shape', `"${wanted}" is none of ${REFERENCE_PATTERNS.join(', ')}`);
      return pool.run({ kind: 'propose', pattern, ...workspace.task(idOf(request)) });
    }),
  );
  router.get(
    '/models/:id/tables/:table/columns',
    answer((request) =>
      pool.run({ kind: 'columns', table: param(request, 'table'), ...workspace.task(idOf(request)) }),
    ),
  );

  router.get(
    '/models/:id/tables/:table/rows',
    answer((request) => {
      const [offset, count] = [Number(asked(request, 'offset') || 0), Number(asked(request, 'count') || 100)];
      if (
        !Number.isSafeInteger(offset) ||
        !Number.isSafeInteger(count) ||
        offset < 0 ||
        count < 1 ||
        count > 1000
      )
        throw new ServerError('wrong-shape', 'offset and count are whole numbers, count at most 1000');
      return pool.run({
        kind: 'rows',
        table: param(request, 'table'),
        offset,
        count,
        ...workspace.task(idOf(request)),
      });
    }),
  );

  router.get(
    '/models/:id/values',
    answer((request) =>
      pool.run({
        kind: 'values',
        column: asked(request, 'column'),
        search: asked(request, 'search'),
        ...workspace.task(idOf(request)),
      }),
    ),
  );

  return router;
}

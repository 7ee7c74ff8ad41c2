import { Router } from 'express';
import type { ReleaseState } from '@crease/contract';
import { againstDefinitions, refusalOfDefinitions } from '@crease/core/claims';
import { writeModel } from '@crease/core/model';
import type { Dialect } from '@crease/core/interchange';
import { createTables, DDL_DIALECTS } from '@crease/core/interchange';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import { answer, asked, idOf } from './handle.ts';

/** Why definitions are not released; undefined where nothing stands against them. */
function refusal({ ready, done, failure, blocking, unjudged }: ReleaseState): string | undefined {
  if (ready) return undefined;
  if (failure !== undefined) return `the claims could not be judged: ${failure}. Judge them again`;
  if (!done) return 'the claims are still being judged: wait a moment';
  return refusalOfDefinitions({ broken: blocking, unjudged });
}

/** What leaves the house: the model file at any time, definitions only while no blocking claim is broken or unjudged. */
export function releaseRoutes(workspace: Workspace): Router {
  const router = Router();

  const state = (id: number): ReleaseState => {
    const { claims, done, failure } = workspace.claims.state(id);
    const { broken: blocking, unjudged } = againstDefinitions(claims);
    return {
      ready: done && blocking.length === 0 && unjudged.length === 0,
      done,
      ...(failure === undefined ? {} : { failure }),
      blocking,
      unjudged: done ? unjudged : [],
      warning: claims.filter((c) => c.verdict === 'broken' && c.weight === 'warns'),
      waived: claims.filter((c) => c.verdict === 'waived'),
    };
  };

  router.get(
    '/models/:id/release',
    answer((request) => state(idOf(request))),
  );

  router.get(
    '/models/:id/release/model',
    answer((request, response) => {
      const { model } = workspace.models.head(idOf(request));
      response
        .set(
          'content-disposition',
          `attachment; filename="${model.name.replace(/[^\w.-]/g, '_')}.crease.json"`,
        )
        .type('application/json')
        .send(writeModel(model));
    }),
  );

  router.get(
    '/models/:id/release/ddl',
    answer((request, response) => {
      const id = idOf(request);
      const dialect = asked(request, 'dialect') || 'postgresql';
      if (!(DDL_DIALECTS as readonly string[]).includes(dialect))
        throw new ServerError(
          'wrong-shape',
          `there is no dialect "${dialect}": use ${DDL_DIALECTS.join(' or ')}`,
        );
      const against = refusal(state(id));
      if (against !== undefined) throw new ServerError('blocked', against);
      const { model } = workspace.models.head(id);
      response
        .set(
          'content-disposition',
          `attachment; filename="${model.name.replace(/[^\w.-]/g, '_')}.${dialect}.sql"`,
        )
        .type('text/plain')
        .send(createTables(model, dialect as Dialect));
    }),
  );

  return router;
}

import type { ReleaseState } from '@crease/contract';
import { api } from '@crease/contract';
import { againstDefinitions, refusalOfDefinitions } from '@crease/core/claims';
import { writeModel } from '@crease/core/model';
import type { Dialect } from '@crease/core/interchange';
import { cataloguePage, catalogueText, createTables, DDL_DIALECTS } from '@crease/core/interchange';
import { ServerError } from '../errors.ts';
import type { Workspace } from '../workspace.ts';
import type { Serve } from './serve.ts';
import { attach } from './serve.ts';

/** Why definitions are not released; undefined where nothing stands against them. */
function refusal({ ready, done, failure, blocking, unjudged }: ReleaseState): string | undefined {
  if (ready) return undefined;
  if (failure !== undefined) return `the claims could not be judged: ${failure}. Judge them again`;
  if (!done) return 'the claims are still being judged: wait a moment';
  return refusalOfDefinitions({ broken: blocking, unjudged });
}

/**
 * What leaves the house: the model file at any time, definitions only while no blocking claim is broken or
 * unjudged.
 */
export function releaseRoutes(workspace: Workspace, serve: Serve): void {
  const { claims: queue, models, pool, clock } = workspace;
  const state = (id: number): ReleaseState => {
    const { claims, done, failure } = queue.state(id);
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

  serve(api.release.get, ({ params }) => state(params.id));

  serve(api.release.modelFile, ({ params, response }) => {
    const { model } = models.head(params.id);
    attach(response, `${model.name}.crease.json`, 'application/json');
    return writeModel(model);
  });

  serve(api.release.catalogue, async ({ params: { id }, search: { as }, signal, response }) => {
    const { model, number, says } = models.head(id);
    const { claims } = queue.state(id);
    const { profile } = await pool.run('profile', { ...workspace.task(id), number, says }, signal);
    attach(response, `${model.name}.${as}`, as === 'html' ? 'text/html' : 'text/markdown');
    return (as === 'html' ? cataloguePage : catalogueText)(model, clock.now(), { claims, profile });
  });

  serve(api.release.definitions, ({ params, search, response }) => {
    const dialect = search.dialect ?? 'postgresql';
    if (!(DDL_DIALECTS as readonly string[]).includes(dialect))
      throw new ServerError(
        'wrong-shape',
        `there is no dialect "${dialect}": use ${DDL_DIALECTS.join(' or ')}`,
      );
    const against = refusal(state(params.id));
    if (against !== undefined) throw new ServerError('blocked', against);
    const { model } = models.head(params.id);
    attach(response, `${model.name}.${dialect}.sql`, 'text/plain');
    return createTables(model, dialect as Dialect);
  });
}

import type { Request, Response, Router } from 'express';
import type * as z from 'zod';
import type { AnswerOf, AnyEndpoint, PathParams } from '@crease/contract';
import { pathParams } from '@crease/contract';
import { checkDocument } from '@crease/core/model';
import { ServerError } from '../errors.ts';

type Parsed<S> = S extends z.ZodType ? z.output<S> : undefined;

/** A request as its endpoint has it: checked whole, with the types that the contract gives. */
export interface Asked<E extends AnyEndpoint> {
  readonly params: PathParams<E['path']>;
  readonly search: Parsed<E['search']>;
  readonly body: Parsed<E['request']>;
  /** The window that asks; empty where it does not tell. */
  readonly by: string;
  /** Comes when whoever asked goes away before there is an answer. */
  readonly signal: AbortSignal;
  readonly request: Request;
  readonly response: Response;
}

/** The answer was sent by the work itself. */
export const SENT = Symbol('sent');

/** What work may give: its answer, or nothing where there is nothing to tell. */
type Given<A> = A | typeof SENT | (A extends { ok: true } ? void : never);

/** Puts the work of an endpoint behind its address. What work throws goes to the error handler. */
export type Serve = <E extends AnyEndpoint>(
  endpoint: E,
  work: (asked: Asked<E>) => Given<AnswerOf<E>> | Promise<Given<AnswerOf<E>>>,
) => void;

const VERBS = { GET: 'get', POST: 'post', PUT: 'put', DELETE: 'delete' } as const;

/** `checksAnswers`: every answer is held against its schema, as the tests do. */
export function serving(router: Router, checksAnswers: boolean): Serve {
  return (endpoint, work) => {
    router[VERBS[endpoint.method]](endpoint.path, async (request: Request, response: Response) => {
      const given = await work(askedOf(endpoint, request, response));
      if (given === SENT) return;
      const answer = given ?? { ok: true };
      if (checksAnswers) checkAnswer(endpoint, answer);
      if (endpoint.gives === 'file') response.send(answer);
      else response.json(answer);
    });
  };
}

function askedOf<E extends AnyEndpoint>(endpoint: E, request: Request, response: Response): Asked<E> {
  const params = pathParams(endpoint, request.params);
  if (typeof params === 'object' && 'wrong' in params)
    throw new ServerError('not-found', `"${String(params.wrong)}" is no model or load of this workspace`);
  const parsed = (schema: z.ZodType | undefined, value: unknown) =>
    schema ? checkDocument(schema, value, 'request') : undefined;
  return {
    params: params as Asked<E>['params'],
    search: parsed(endpoint.search, request.query) as Asked<E>['search'],
    body: parsed(endpoint.request, request.body) as Asked<E>['body'],
    by: request.get('x-crease-tab') ?? '',
    signal: signalOf(response),
    request,
    response,
  };
}

/** A signal that the connection was closed before it was answered on. */
function signalOf(response: Response): AbortSignal {
  const controller = new AbortController();
  response.once('close', () => {
    if (!response.writableFinished) controller.abort();
  });
  return controller.signal;
}

/** Throws where an answer is not what the contract says: a fault of this program. */
function checkAnswer(endpoint: AnyEndpoint, answer: unknown): void {
  // What has no form in JSON is not sent: the schema is of what arrives.
  const sent: unknown = JSON.parse(JSON.stringify(answer));
  const { error } = endpoint.answer.safeParse(sent);
  if (error)
    throw new Error(
      `the answer of ${endpoint.method} ${endpoint.path} is not its schema's: ${error.message}`,
    );
}

/** An answer that browsers save as a file of that name. */
export function attach(response: Response, name: string, type: string): void {
  response.set('content-disposition', `attachment; filename="${name.replace(/[^\w.-]/g, '_')}"`).type(type);
}

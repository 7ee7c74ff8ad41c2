import type { Request, RequestHandler, Response } from 'express';
import type { z } from 'zod';
import { checkDocument } from '@crease/core/model';
import { ServerError } from '../errors.ts';

/** A route as a function from a request to its answer; what it throws goes to the error handler. */
export const answer =
  (work: (request: Request, response: Response) => unknown): RequestHandler =>
  async (request, response) => {
    const result = await work(request, response);
    if (!response.headersSent) response.json(result ?? { ok: true });
  };

/** The body, checked whole; throws DocumentError with the place of each fault. */
export const body = <T>(request: Request, schema: z.ZodType<T>): T =>
  checkDocument(schema, request.body as unknown, 'request');

/** A number in the address. */
export function idOf(request: Request): number {
  const id = Number(request.params.id);
  if (!Number.isSafeInteger(id))
    throw new ServerError('not-found', `"${String(request.params.id)}" is no model of this workspace`);
  return id;
}

export const param = (request: Request, name: string): string => String(request.params[name]);
/** One text of the address's query; empty where there is none. */
export const asked = (request: Request, name: string): string => {
  const value = request.query[name];
  return typeof value === 'string' ? value : '';
};

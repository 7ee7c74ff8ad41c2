import type { Express, Request, Response } from 'express';
import { faultOf } from '@crease/core/odata';
import { ERRORS, ServerError } from '../errors.ts';
import type { ReadingRoom } from './room.ts';

/** `/odata/MODEL/PERSPECTIVE/…`: what is behind the root is not decoded, since OData decodes it by parts. */
const ADDRESS = /^\/odata\/([^/?]+)\/([^/?]+)(?:\/([^?]*))?(?:\?(.*))?$/s;

/**
 * OData 4.01 of released models: each perspective is a service of its own. `publicOrigin` stands in the
 * addresses that it gives, where readers come through a proxy.
 */
export function odataRoutes(app: Express, room: ReadingRoom, publicOrigin?: string): void {
  app.use('/odata', async (request: Request, response: Response) => {
    response.set('OData-Version', versionOf(request));
    if (request.method !== 'GET' && request.method !== 'HEAD') {
      response.set('Allow', 'GET, HEAD');
      return send(response, faultOf(405, 'a released model is read, not changed'));
    }
    try {
      send(response, await answer(request, response, room, publicOrigin));
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      const status = error.code === 'not-found' ? 404 : ERRORS[error.code].status;
      send(response, faultOf(status === 422 ? 400 : status, error.message));
    }
  });
}

function send(response: Response, { status, type, body }: ReturnType<typeof faultOf>): void {
  response.status(status).type(type).send(body);
}

/** The version that is answered with: 4.01, or 4.0 for those who know no more. */
const versionOf = (request: Request): '4.0' | '4.01' =>
  request.get('odata-maxversion')?.trim() === '4.0' ? '4.0' : '4.01';

async function answer(request: Request, response: Response, room: ReadingRoom, publicOrigin?: string) {
  const [, model, perspective, path = '', search = ''] = ADDRESS.exec(request.originalUrl) ?? [];
  if (model === undefined || perspective === undefined)
    return faultOf(404, 'a service is at /odata/MODEL/PERSPECTIVE/');
  const token = /(?:^|&)(?:\$|%24)?skiptoken=(\d+)-/i.exec(search)?.[1];
  const opened = openedFor(room, decodeURIComponent(model), decodeURIComponent(perspective), token);
  if (!opened) return faultOf(410, 'the release that these pages are of is not kept any more: begin again');
  const origin = publicOrigin ?? `http://${request.get('host')}`;
  const controller = new AbortController();
  response.once('close', () => !response.writableFinished && controller.abort());
  const prefer = /(?:^|[;,\s])(?:odata\.)?maxpagesize=(\d+)/i.exec(request.get('prefer') ?? '')?.[1];
  const answered = await room.odata(
    opened,
    {
      path,
      search,
      root: `${origin}/odata/${model}/${perspective}/`,
      version: versionOf(request),
      accept: request.get('accept') ?? '',
      pageRows: prefer === undefined ? undefined : Math.max(1, Number(prefer)),
      stamp: String(opened.released.entry.id),
    },
    controller.signal,
  );
  if (prefer !== undefined) response.set('Preference-Applied', `maxpagesize=${prefer}`);
  return answered;
}

/** A page that follows another is of the same release. */
function openedFor(room: ReadingRoom, model: string, perspective: string, release: string | undefined) {
  if (release === undefined) return room.open(model, perspective);
  try {
    return room.open(model, perspective, Number(release));
  } catch (error) {
    if (error instanceof ServerError && error.code === 'not-found') return undefined;
    throw error;
  }
}

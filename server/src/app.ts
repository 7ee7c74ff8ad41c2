import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { Router } from 'express';
import type { ErrorRequestHandler, Express, Request, RequestHandler } from 'express';
import helmet from 'helmet';
import { openApi } from '@crease/contract';
import { ERRORS, ServerError } from './errors.ts';
import { explained } from './explained.ts';
import { jsonDepth, MOST_DEPTH } from './jsonDepth.ts';
import type { Workspace } from './workspace.ts';
import { calendarRoutes } from './routes/calendars.ts';
import { databaseRoutes } from './routes/databases.ts';
import { intakeRoutes, loadRoutes } from './routes/intake.ts';
import { modelRoutes } from './routes/models.ts';
import { claimRoutes, questionRoutes } from './routes/questions.ts';
import { targetRoutes } from './routes/targets.ts';
import { correctionRoutes } from './routes/corrections.ts';
import { planRoutes } from './routes/plans.ts';
import { releaseRoutes } from './routes/release.ts';
import { storageRoutes } from './routes/storage.ts';
import { serving } from './routes/serve.ts';
import type { RoomSource } from './reading-room/room.ts';
import { ReadingRoom } from './reading-room/room.ts';
import { odataRoutes } from './reading-room/odataRoutes.ts';
import { readingRoomRoutes } from './reading-room/routes.ts';

/** The largest JSON body. Files come as streams and are not held to it. */
const LARGEST_BODY = '8mb';

const ROUTES = [
  modelRoutes,
  claimRoutes,
  questionRoutes,
  intakeRoutes,
  loadRoutes,
  planRoutes,
  correctionRoutes,
  targetRoutes,
  databaseRoutes,
  calendarRoutes,
  releaseRoutes,
  storageRoutes,
];

/**
 * The application: the interface under /api, the screens under everything else. `screens` is the folder of
 * the built screens; with
 * `checksAnswers` each answer is held against its schema.
 */
export function makeApp(workspace: Workspace, screens?: string, { checksAnswers = false } = {}): Express {
  const { app, router } = begin();
  app.use('/api', (request, _response, next) => {
    const [window, author] = [request.get('x-crease-tab'), request.get('x-crease-author')];
    if (window && author !== undefined) workspace.models.setAuthor(window, authorOf(author));
    next();
  });
  router.get('/openapi.json', (_request, response) => void response.json(openApi()));
  const serve = serving(router, checksAnswers);
  for (const routes of ROUTES) routes(workspace, serve);
  const room = new ReadingRoom(workspace);
  readingRoomRoutes(room, serve);
  odataRoutes(app, room);
  finish(app, router, workspace.log, screens, '/{*path}');
  return app;
}

/**
 * The reading room alone, with nothing that writes: what is served with --read-only. Its screens lie under
 * /r. `publicOrigin` is that of a proxy before it, by which it is called too.
 */
export function makeReadingRoom(
  source: RoomSource,
  screens?: string,
  { checksAnswers = false, publicOrigin }: { checksAnswers?: boolean; publicOrigin?: string } = {},
): Express {
  const { app, router } = begin(publicOrigin);
  const room = new ReadingRoom(source);
  readingRoomRoutes(room, serving(router, checksAnswers));
  odataRoutes(app, room, publicOrigin);
  app.get('/', (_request, response) => response.redirect('/r'));
  finish(app, router, source.log, screens, '/r{/*path}');
  return app;
}

/** What every application begins with: who may ask, and what is read of a request. */
function begin(publicOrigin?: string): { app: Express; router: Router } {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          'default-src': ["'self'"],
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:', 'blob:'],
          // Printed pictures carry their fonts.
          'font-src': ["'self'", 'data:'],
          'upgrade-insecure-requests': null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.use(ownOriginOnly(publicOrigin));
  const json = express.json({ limit: LARGEST_BODY });
  app.use('/api', (request, response, next) => {
    // An upload's body is the file: it is not to be read as JSON, whatever it says it is.
    if (request.method === 'POST' && request.path === '/uploads') return next();
    return json(request, response, next);
  });
  app.use('/api', notTooDeep);
  return { app, router: Router() };
}

/** Puts the routes in place, the screens for what `pages` matches, and answers to all that is not there. */
function finish(
  app: Express,
  router: Router,
  log: RoomSource['log'],
  screens: string | undefined,
  pages: string,
): void {
  app.use('/api', router);
  app.use('/api', (request) => {
    throw new ServerError('not-found', `there is nothing at ${request.originalUrl.split('?')[0]}`);
  });
  if (screens && existsSync(join(screens, 'index.html'))) {
    app.use(express.static(screens, { index: false, maxAge: '1y', immutable: true }));
    app.get(pages, (_request, response) =>
      response.set('cache-control', 'no-cache').sendFile(join(screens, 'index.html')),
    );
  }
  app.use((request) => {
    throw new ServerError('not-found', `there is nothing to ${request.method} at this address`);
  });
  app.use(errorAnswer(log));
}

/** Headers hold Latin letters: names are sent escaped. What cannot be read is as it came. */
function authorOf(text: string): string {
  try {
    return decodeURIComponent(text).trim().slice(0, 200);
  } catch (error) {
    if (error instanceof URIError) return text.trim().slice(0, 200);
    throw error;
  }
}

const LOOPBACK = /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/i;

const isRead = ({ method, path }: Request): boolean =>
  (method === 'GET' || method === 'HEAD') && !path.startsWith('/api/');

/**
 * Only pages of this server may talk to it: another site's scripts, or a foreign name that resolves to this
 * machine, may not.
 */
const ownOriginOnly = (publicOrigin?: string): RequestHandler => {
  const publicHost = publicOrigin === undefined ? undefined : new URL(publicOrigin).host;
  return (request, _response, next) => {
    checkOrigin(request, (host) => LOOPBACK.test(host) || host === publicHost);
    next();
  };
};

function checkOrigin(request: Request, isOwn: (host: string) => boolean): void {
  const { host, origin } = request.headers;
  if (!host || !isOwn(host))
    throw new ServerError(
      'wrong-origin',
      `the server answers on the loopback address only, not as "${host ?? ''}"`,
    );
  // A page of another site may lead here, and nothing else (Fetch Metadata, W3C).
  const site = request.get('sec-fetch-site');
  const isNavigation =
    request.get('sec-fetch-mode') === 'navigate' && request.get('sec-fetch-dest') === 'document';
  if ((site === 'cross-site' || site === 'same-site') && !(isNavigation && isRead(request)))
    throw new ServerError('wrong-origin', 'pages of another site may not use this server');
  if (origin !== undefined) {
    let from = '';
    try {
      from = new URL(origin).host;
    } catch (error) {
      if (!(error instanceof TypeError)) throw error;
    }
    if (!isOwn(from) || (request.method !== 'GET' && from !== host && LOOPBACK.test(from)))
      throw new ServerError('wrong-origin', `pages of ${origin} may not use this server`);
  }
}

/** No request of ours is nested deeply; what walks a body may call itself for each level. */
const notTooDeep: RequestHandler = (request, _response, next) => {
  if (jsonDepth(request.body) > MOST_DEPTH)
    throw new ServerError('wrong-shape', `the request is nested more than ${MOST_DEPTH} levels deep`);
  next();
};

function errorAnswer(log: RoomSource['log']): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) return next(error);
    const { code, message, extra } = explained(error, LARGEST_BODY);
    if (code === 'internal')
      log.error(
        { error: error instanceof Error ? error.stack : String(error), path: request.path },
        'a request failed',
      );
    response.status(ERRORS[code].status).json({ code, message, ...extra });
  };
}

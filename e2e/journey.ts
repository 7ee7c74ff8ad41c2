import { mkdtempSync } from 'node:fs';
import { join } from 'node:path';
import { test as base } from '@playwright/test';
import { serveDemo } from './serveDemo.ts';

export { expect } from '@playwright/test';

/** Rows of the demo on which journeys run. */
const LOANS = 6_000;

/**
 * Journeys run on the real program. Each worker has a server, a workspace and a demo of its own, which they
 * may change; a worker that is begun anew after a failure has fresh ones.
 */
export const test = base.extend<object, { server: string }>({
  server: [
    // oxlint-disable-next-line no-empty-pattern -- Playwright reads the names of fixtures from it
    async ({}, use) => {
      const folder = mkdtempSync(join(process.env.CREASE_JOURNEYS!, 'worker-'));
      // What journeys lay beside the workspace, they find by this name.
      process.env.CREASE_JOURNEYS = folder;
      const server = await serveDemo(join(folder, 'journeys.sqlite'), LOANS);
      await use(server.address);
      await server.end();
    },
    { scope: 'worker', auto: true, timeout: 180_000 },
  ],
  baseURL: ({ server }, use) => use(server),
});

import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineConfig } from '@playwright/test';
import { BROWSER } from './e2e/browser.ts';

const port = Number(process.env.CREASE_TEST_PORT ?? 4690);
// The configuration is read by each process anew: the first one makes the folder, the teardown removes it.
process.env.CREASE_JOURNEYS ??= mkdtempSync(join(tmpdir(), 'crease-journeys-'));
const workspace = join(process.env.CREASE_JOURNEYS, 'journeys.sqlite');

/** Journeys run on the real program with a fresh workspace and a small demo. */
export default defineConfig({
  testDir: 'e2e',
  globalTeardown: './e2e/teardown.ts',
  testMatch: '**/*.spec.ts',
  fullyParallel: false,
  workers: 1,
  retries: 0,
  timeout: 60_000,
  expect: { timeout: 10_000 },
  outputDir: 'test-results',
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    browserName: 'chromium',
    headless: true,
    viewport: { width: 1280, height: 800 },
    // A trace of each journey costs as much as the journey: it is asked for where one fails, by
    // CREASE_TRACE=1.
    trace: process.env.CREASE_TRACE ? 'retain-on-failure' : 'off',
    screenshot: 'only-on-failure',
    locale: 'en-US',
    timezoneId: 'UTC',
    launchOptions: BROWSER,
  },
  webServer: {
    // Keys of passwords belong into the folder of the journeys, not into that of whoever runs them.
    env: { XDG_CONFIG_HOME: join(process.env.CREASE_JOURNEYS, 'config') },
    command: `node cli/bin/crease.mjs serve --workspace ${workspace} --port ${port} --demo --loans 20000`,
    url: `http://127.0.0.1:${port}/api/models`,
    reuseExistingServer: false,
    timeout: 60_000,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 3000 },
  },
});

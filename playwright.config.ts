import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineConfig } from '@playwright/test';
import { BROWSER } from './e2e/browser.ts';

// The configuration is read by each process anew: the first one makes the folder, the teardown removes it.
process.env.CREASE_JOURNEYS ??= mkdtempSync(join(tmpdir(), 'crease-journeys-'));

/** Journeys: each worker has a program and a demo of its own (`e2e/journey.ts`). */
export default defineConfig({
  testDir: 'e2e',
  globalTeardown: './e2e/teardown.ts',
  testMatch: '**/*.spec.ts',
  fullyParallel: false,
  workers: 2,
  retries: 0,
  // Limits only end what hangs: a machine that is busy with other work may stand still for a minute.
  timeout: 180_000,
  expect: { timeout: 30_000 },
  outputDir: 'test-results',
  use: {
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
});

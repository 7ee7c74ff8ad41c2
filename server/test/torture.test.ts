import { disk } from './torture/disk.ts';
import { editors } from './torture/editors.ts';
import { files } from './torture/files.ts';
import { kills } from './torture/kills.ts';
import { releases } from './torture/releases.ts';
import { requests } from './torture/requests.ts';

// Small runs of the experiments; `npm run torture` has large ones, with other seeds.

test('600 requests over every route: no fault of the program, and no place of the machine', async () => {
  const { tried, failed } = await requests({ count: 600, seed: 1 });
  expect(failed).toEqual([]);
  expect(tried).toBe(600);
});

test('files that are damaged are read or refused, and keep nobody waiting', async () => {
  const { tried, failed } = await files({ count: 60, seed: 1 });
  expect(failed).toEqual([]);
  expect(tried).toBe(60);
});

test('a server that is killed has what it said yes to, and nothing half', async () => {
  const { tried, failed } = await kills({ count: 2, seed: 1 });
  expect(failed).toEqual([]);
  expect(tried).toBeGreaterThanOrEqual(2);
});

test('a server that is killed while it releases leaves each target as it was, or as it was meant to be', async () => {
  const { tried, failed } = await releases({ count: 2, seed: 1 });
  expect(failed).toEqual([]);
  expect(tried).toBeGreaterThanOrEqual(2);
});

test('editors at the same time lose no edit', async () => {
  const { tried, failed } = await editors({ count: 6, seed: 1, seconds: 3 });
  expect(failed).toEqual([]);
  expect(tried).toBeGreaterThan(20);
});

test('a disk that is full is said, and loses nothing', async () => {
  const { failed, tried, note } = await disk({ count: 1, seed: 1 });
  expect(failed).toEqual([]);
  // Some systems give no small disk to try it on.
  expect(tried === 1 || note!.includes('allows no small disk')).toBe(true);
});

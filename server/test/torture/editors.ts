import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { HistoryEntry, ModelState } from '@crease/contract';
import { startChild } from './child.ts';
import { ask } from './scratch.ts';
import type { Outcome } from './seeded.ts';
import { seeded } from './seeded.ts';

// Many people who edit one model at once: every edit that was said yes to is in the chain of revisions, in
// its place, and memory comes back.

const EACH_MS = 2_000;
const SETTLE_MS = 3_000;
/** Part by which memory may have grown. */
const GROWTH = 0.2;

/** `count` editors for `seconds`. */
export async function editors(options: { count: number; seed: number; seconds?: number }): Promise<Outcome> {
  const { count, seed, seconds = (count * EACH_MS) / 1000 } = options;
  const folder = mkdtempSync(join(tmpdir(), 'crease-editors-'));
  const failed: string[] = [];
  const server = await startChild(join(folder, 'w.sqlite'));
  const { address } = server;
  const random = seeded(seed);
  let [made, refused] = [0, 0];
  try {
    const { id } = await ask<{ id: number }>(address, 'POST', '/models', { title: 'Edited by many' });
    /** Edits until a moment; gives the last number that was said yes to. */
    const editor = async (who: number, until: number): Promise<number> => {
      let last = 0;
      const watching = new AbortController();
      // Everybody watches, as windows do.
      const events = await fetch(`${address}/api/models/${id}/events`, { signal: watching.signal });
      void events.body?.pipeTo(new WritableStream()).catch(() => undefined); // ends when it is stopped
      while (Date.now() < until) {
        const { model, revision } = await ask<ModelState>(address, 'GET', `/models/${id}`);
        await new Promise((resume) => setTimeout(resume, random.below(10)));
        const value = { name: `Measure of ${who}`, formula: '1', description: `${last + 1}` };
        const isThere = model.measures?.some((m) => m.name === value.name) === true;
        const body = {
          base: revision.id,
          edit: [{ do: 'put-measures', name: isThere ? value.name : null, value }],
          says: `edit ${last + 1} of ${who}`,
        };
        try {
          await ask(address, 'POST', `/models/${id}/edits`, body);
          last++;
          made++;
        } catch (error) {
          if (!(error as Error).message.includes('"conflict"')) throw error;
          refused++;
        }
      }
      watching.abort();
      return last;
    };
    const round = (ms: number) =>
      Promise.all(Array.from({ length: count }, (_, who) => editor(who, Date.now() + ms)));
    // A first round fills what is kept for speed; what it leaves is where memory has to come back to.
    const warm = await round(Math.min(10_000, (seconds * 1000) / 2));
    await new Promise((resume) => setTimeout(resume, SETTLE_MS));
    const [before, begun] = [await server.memory(), made];
    const last = await round(seconds * 1000);
    await new Promise((resume) => setTimeout(resume, SETTLE_MS));
    const after = await server.memory();
    if (after > before * (1 + GROWTH)) failed.push(`memory grew from ${mega(before)} to ${mega(after)} MB`);
    failed.push(...(await lost(address, id, last, begun, made, warm)));
    const note = `${made} edits, ${refused} asked again, memory ${mega(before)} → ${mega(after)} MB`;
    return { tried: made, failed, note };
  } finally {
    await server.kill();
    rmSync(folder, { recursive: true, force: true });
  }
}

const mega = (bytes: number): number => Math.round(bytes / 1e6);

/** Updates that were said yes to and are not there. */
async function lost(
  address: string,
  id: number,
  last: readonly number[],
  begun: number,
  made: number,
  warm: readonly number[],
): Promise<string[]> {
  const { model, revision } = await ask<ModelState>(address, 'GET', `/models/${id}`);
  const faults: string[] = [];
  last.forEach((number, who) => {
    const found = model.measures?.find((m) => m.name === `Measure of ${who}`)?.description;
    // One whose edits were all refused has what the first round left.
    const expected = number > 0 ? number : warm[who];
    if (expected && found !== `${expected}`)
      faults.push(`the model has edit ${found} of ${who}, not ${expected}`);
  });
  // The same text twice changes nothing and makes no revision: the second round begins its count again.
  if (revision.number < made - last.length || revision.number > made + 1)
    faults.push(`${made} edits made ${revision.number} revisions`);
  const history = await ask<HistoryEntry[]>(address, 'GET', `/models/${id}/history`);
  const numbers = history.map((entry) => entry.number);
  if (new Set(numbers).size !== numbers.length) faults.push('two revisions of the chain have one number');
  return begun === 0 ? ['nothing was edited'] : faults;
}

import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeModel } from '@crease/core/model';
import type { JudgedClaim } from '@crease/core/claims';
import { judgeFolder } from '../../src/judgeFolder.ts';
import type { Expected, Flaw } from './flaws.ts';
import { FLAWS } from './flaws.ts';
import { DECOYS } from './decoys.ts';
import { World } from './world.ts';
import { cases } from '../../../tools/cases.ts';

// `crease check` against models in which mistakes are planted, and what only looks like one: nothing is
// missed, nothing else is broken, counts are exact. Run with more worlds: CREASE_CASES=400 npx jest planted.

const WORLDS = cases(12);
const folder = mkdtempSync(join(tmpdir(), 'crease-planted-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const written = new Map<string, string>();
/** A file that is as it was is not written again: some disks take longer for it than a world to be judged. */
function write(name: string, text: string): void {
  if (written.get(name) === text) return;
  written.set(name, text);
  writeFileSync(join(folder, name), text);
}

/** Judges a world as a pipeline does: from its model file and the files beside it. */
async function judge(world: World): Promise<Map<string, JudgedClaim>> {
  for (const [file, text] of world.files()) write(file, text);
  const file = join(folder, 'planted.crease.json');
  writeFileSync(file, writeModel(world.model()));
  const { claims } = await judgeFolder(file, { data: folder });
  // Of two claims of one id (two measures of one name) one that is broken counts.
  return new Map(
    [...claims]
      .sort((a, b) => Number(a.verdict === 'broken') - Number(b.verdict === 'broken'))
      .map((c) => [c.id, c]),
  );
}

const pattern = (id: string): RegExp =>
  new RegExp(
    `^${id
      .split('*')
      .map((part) => part.replace(/[.+?^${}()|[\]\\]/g, '\\$&'))
      .join('.*')}$`,
  );

/** What is wrong with the verdicts, in a line each. */
function faults(
  claims: ReadonlyMap<string, JudgedClaim>,
  broken: readonly Expected[],
  also: readonly string[],
): string[] {
  const found: string[] = [];
  for (const { id, against, distinct, warns } of broken) {
    const claim = claims.get(id);
    if (claim?.verdict !== 'broken') {
      found.push(`${id} is ${claim?.verdict ?? 'not made'} ${claim?.evidence.notes?.join('; ') ?? ''}`);
      continue;
    }
    if (against !== undefined && claim.evidence.against !== against)
      found.push(`${id} counts ${claim.evidence.against}, not ${against}`);
    if (distinct !== undefined && claim.evidence.distinct !== distinct)
      found.push(`${id} counts ${claim.evidence.distinct} different ones, not ${distinct}`);
    if (claim.weight !== (warns ? 'warns' : 'blocks')) found.push(`${id} ${claim.weight}`);
  }
  const allowed = [...broken.map(({ id }) => id), ...STANDING, ...also].map(pattern);
  for (const { id, verdict } of claims.values())
    if (verdict === 'broken' && !allowed.some((one) => one.test(id)))
      found.push(`${id} is broken without cause`);
  return found;
}

/** Loans that are still out have no day of return. */
const STANDING = ['reference-filled:loan_returned_on'];

/** As many of a list as may be planted side by side. */
function apart<T extends { readonly touches: readonly string[] }>(
  world: World,
  list: readonly T[],
  most: number,
  touched: Set<string>,
): T[] {
  return world.random.some(list, list.length).filter((one) => {
    if (most <= 0 || one.touches.some((part) => touched.has(part))) return false;
    for (const part of one.touches) touched.add(part);
    most--;
    return true;
  });
}

test('a sound world holds in all that it claims', async () => {
  const claims = await judge(new World(1));
  expect([...claims.values()].filter((c) => c.verdict !== 'holds').map((c) => c.id)).toEqual(STANDING);
  expect(claims.size).toBeGreaterThan(180);
});

test.each(FLAWS.map((flaw) => [flaw.name, flaw] as const))('planted alone: %s', async (_, flaw) => {
  const world = new World(FLAWS.indexOf(flaw));
  const { broken, also } = flaw.plant(world);
  expect(faults(await judge(world), broken, also ?? [])).toEqual([]);
});

test.each(DECOYS.map((decoy) => [decoy.name, decoy] as const))('no alarm: %s', async (_, decoy) => {
  const world = new World(100 + DECOYS.indexOf(decoy));
  decoy.plant(world);
  expect(faults(await judge(world), [], [])).toEqual([]);
});

test(`${WORLDS} worlds with several flaws and decoys each`, async () => {
  const wrong: string[] = [];
  for (let seed = 1000; seed < 1000 + WORLDS; seed++) {
    const world = new World(seed);
    const touched = new Set<string>();
    const flaws: Flaw[] = apart(world, FLAWS, world.random.below(6), touched);
    const decoys = apart(world, DECOYS, world.random.below(5), touched);
    for (const one of decoys) one.plant(world);
    const said = flaws.map((flaw) => flaw.plant(world));
    const found = faults(
      await judge(world),
      said.flatMap((s) => s.broken),
      said.flatMap((s) => s.also ?? []),
    );
    if (found.length > 0)
      wrong.push(
        `${seed} (${[...flaws, ...decoys].map((one) => one.name).join(' | ')}): ${found.join(' · ')}`,
      );
  }
  expect(wrong).toEqual([]);
}, 240_000);

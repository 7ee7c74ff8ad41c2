import { inTurns, newestFrom } from './turns.ts';

test('acts run one after the other; one that fails stops no other, and is told of its fault', async () => {
  const turn = inTurns();
  const log: string[] = [];
  const act = (name: string, ms: number, fails = false) =>
    turn(async () => {
      log.push(`${name} begins`);
      await new Promise((r) => setTimeout(r, ms));
      log.push(`${name} ends`);
      if (fails) throw new Error(name);
      return name;
    });
  const all = await Promise.allSettled([act('a', 20), act('b', 5, true), act('c', 0)]);
  expect(log).toEqual(['a begins', 'a ends', 'b begins', 'b ends', 'c begins', 'c ends']);
  expect(all.map((r) => r.status)).toEqual(['fulfilled', 'rejected', 'fulfilled']);
});

test("the newest of revisions of one's own is found; what another has made ends the chain", () => {
  const followed = new Map([
    [1, 2],
    [2, 3],
    [5, 6],
  ]);
  expect([1, 2, 3, 4, 5].map((r) => newestFrom(followed, r))).toEqual([3, 3, 3, 4, 6]);
});

import fc from 'fast-check';
import type { Codes } from '@crease/core/columns';
import { SharedCodes, sharedMemory } from '../src/threads/sharedCodes.ts';

const KB = 1024;
/** Codes that tell which key they are of. */
const codesOf = (key: number, bytes: number): Codes => new Uint8Array(bytes).fill(key + 1);
const isOf = (codes: Codes, key: number): boolean => codes.every((code: number) => code === key + 1);

test('what one thread has decoded, another finds', () => {
  const memory = sharedMemory(64 * KB);
  const [a, b] = [new SharedCodes(memory), new SharedCodes(memory)];
  const made = a.of('loan.day', () => Uint16Array.of(7, 300, 7))();
  const found = b.of('loan.day', () => {
    throw new Error('decoded twice');
  })();
  expect([...found]).toEqual([7, 300, 7]);
  made[0] = 8;
  expect(found[0]).toBe(8); // the same memory
  expect(a.bytes).toBe(64);
});

test('the longest unused makes room, but nothing that a running task uses', () => {
  const memory = sharedMemory(4 * KB);
  const [a, b] = [new SharedCodes(memory), new SharedCodes(memory)];
  let decoded: string[] = [];
  const get = (thread: SharedCodes, key: string) =>
    thread.of(key, () => {
      decoded.push(key);
      return new Uint8Array(KB).fill(key.charCodeAt(0));
    })();
  for (const key of ['p', 'q', 'r', 's']) get(a, key);
  get(a, 'p'); // used again: q is now the oldest
  b.begin();
  const held = get(b, 'q');
  decoded = [];
  get(a, 't');
  expect(held.every((code: number) => code === 'q'.charCodeAt(0))).toBe(true);
  get(a, 'q');
  get(a, 'p');
  get(a, 's');
  expect(decoded).toEqual(['t']);
  get(a, 'r'); // r had to go for t
  expect(decoded).toEqual(['t', 'r']);
});

test('what is decoded in its place is found when it is whole; what fails leaves its place free', () => {
  const memory = sharedMemory(2 * KB);
  const [a, b] = [new SharedCodes(memory), new SharedCodes(memory)];
  a.begin();
  b.begin();
  const bytes: number[] = [];
  const made = a.of('one', (arrayFor) => {
    const codes = arrayFor(255, KB);
    bytes.push(a.bytes);
    // Somebody is faster: both have the same afterwards.
    expect(isOf(b.of('one', () => codesOf(1, KB))(), 1)).toBe(true);
    return codes.fill(2);
  })();
  expect(isOf(made, 1)).toBe(true);
  expect([...bytes, a.bytes]).toEqual([KB, KB]);
  const failing = a.of('two', (arrayFor) => {
    arrayFor(255, KB);
    throw new Error('the rows have been replaced');
  });
  for (let again = 0; again < 3; again++) expect(failing).toThrow('replaced');
  expect(a.bytes).toBe(KB);
  expect(isOf(b.of('three', (arrayFor) => arrayFor(255, KB).fill(4))(), 3)).toBe(true);
  expect(a.bytes).toBe(2 * KB);
});

test('codes that find no room are the thread’s own', () => {
  const memory = sharedMemory(2 * KB);
  const [a, b] = [new SharedCodes(memory), new SharedCodes(memory)];
  a.begin();
  const one = a.of('one', () => codesOf(1, KB))();
  const two = a.of('two', () => codesOf(2, KB))();
  let decoded = 0;
  const own = a.of('own', () => {
    decoded++;
    return codesOf(5, KB);
  });
  for (let row = 0; row < 3; row++) expect(own()[row]).toBe(6);
  expect(decoded).toBe(1);
  expect(isOf(b.of('three', () => codesOf(3, KB))(), 3)).toBe(true);
  expect(isOf(b.of('large', () => codesOf(4, 3 * KB))(), 4)).toBe(true);
  expect([isOf(one, 1), isOf(two, 2)]).toEqual([true, true]);
  a.end();
  b.of('three', () => codesOf(3, KB))();
  expect(a.bytes).toBe(2 * KB);
});

test('whatever threads ask for and give up, arrays of running tasks hold what they were asked for, within the budget', () => {
  const step = fc.record({
    thread: fc.nat(2),
    what: fc.constantFrom('begin', 'end', 'get', 'get', 'get'),
    key: fc.nat(11),
  });
  fc.assert(
    fc.property(fc.array(step, { maxLength: 80 }), (steps) => {
      const memory = sharedMemory(8 * KB);
      const threads = [0, 1, 2].map(() => {
        const codes = new SharedCodes(memory);
        // Each thread asks by what it was given first, as columns do over many tasks.
        const ways = Array.from({ length: 12 }, (_, key) =>
          codes.of(`column ${key}`, (arrayFor) =>
            // Into an array of its own, or where it is to stay.
            key % 2 === 0 ? codesOf(key, 300 + key * 200) : arrayFor(255, 300 + key * 200).fill(key + 1),
          ),
        );
        return { codes, of: (key: number) => ways[key]!, inTask: false, held: [] as [number, Codes][] };
      });
      for (const { thread, what, key } of steps) {
        const t = threads[thread]!;
        if (what === 'begin' && !t.inTask) {
          t.codes.begin();
          t.inTask = true;
        } else if (what === 'end') {
          t.codes.end();
          [t.inTask, t.held] = [false, []];
        } else if (what === 'get') {
          const codes = t.of(key)();
          expect(isOf(codes, key)).toBe(true);
          if (t.inTask) t.held.push([key, codes]);
        }
        for (const other of threads) for (const [k, codes] of other.held) expect(isOf(codes, k)).toBe(true);
        expect(t.codes.bytes).toBeLessThanOrEqual(8 * KB);
      }
    }),
    { numRuns: 200 },
  );
});

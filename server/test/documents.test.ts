import { isDeepStrictEqual } from 'node:util';
import fc from 'fast-check';
import type { Model } from '@crease/core/model';
import { Models, openWorkspace } from '../src/store/index.ts';
import { applyDifference, differenceOf, MOST_DIFFERENCES } from '../src/store/documents.ts';

test('a difference gives the text back, whatever the two have in common', () => {
  const text = fc.oneof(fc.string({ unit: 'binary' }), fc.string({ unit: fc.constantFrom('a', 'b', '😀') }));
  fc.assert(
    fc.property(text, text, (before, after) => {
      const stored = JSON.parse(JSON.stringify(differenceOf(before, after))) as ReturnType<
        typeof differenceOf
      >;
      expect(applyDifference(before, stored)).toBe(after);
    }),
  );
});

test('every revision of a long history is read as it was, on all branches, and takes far less room than whole documents', () => {
  const columns = Array.from({ length: 60 }, (_, i) => ({ name: `column ${i}`, type: 'integer' }));
  const tables: Model['tables'] = Array.from({ length: 10 }, (_, i) => ({
    name: `table ${i}`,
    role: 'staging',
    columns,
  }));
  const db = openWorkspace(':memory:');
  const models = new Models(db);
  const id = models.create({ crease: 1, name: 'long', tables }, 'Began');
  const was = new Map([[models.head(id).id, models.head(id).model]]);
  for (let i = 0; i < 3 * MOST_DIFFERENCES; i++) {
    const head = models.head(id);
    const made = models.edit(
      id,
      head.id,
      [{ do: 'set-table', table: `table ${i % 10}`, change: { grain: `one row, said ${i} times 😀` } }],
      'grain',
    );
    was.set(made.id, made.model);
    // Every so often another branch begins.
    if (i % 7 === 0) models.undo(id, made.id);
  }
  const fresh = new Models(db);
  const wrong = [...was].filter(([revision, model]) => !isDeepStrictEqual(fresh.find(revision).model, model));
  expect(wrong).toEqual([]);
  const sizes = db.prepare('select length(document) as n from revision').pluck().all() as number[];
  const whole = Math.max(...sizes);
  expect(sizes.reduce((sum, n) => sum + n, 0)).toBeLessThan((whole * sizes.length) / 10);
  expect(sizes.filter((n) => n > whole / 2).length).toBeGreaterThan(2);
});

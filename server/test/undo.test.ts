import type { ClaimsState, ModelState } from '@crease/contract';
import type { Edit } from '@crease/core/edit';
import type { Proposal } from '@crease/core/propose';
import type { ApiFixture } from './apiFixture.ts';
import { startApi } from './apiFixture.ts';
import { cases } from '../../tools/cases.ts';
import type { Seeded } from './torture/seeded.ts';
import { seeded } from './torture/seeded.ts';

// Random acts, all undone, all done again: model, rows and verdicts are those of the start, and those of the
// end.

let fixture: ApiFixture;
beforeAll(async () => {
  fixture = await startApi();
  // As many versions of rows as there are acts.
  const keep = { versions: 100, days: 1, bytes: 1e9 };
  await fixture.api().put('/api/settings').send({ naming: 'as they are', keep }).expect(200);
});
afterAll(() => fixture.close());
const api = () => fixture.api();

const rowsText = (random: Seeded, header: string, row: (i: number) => string): string =>
  `${[header, ...Array.from({ length: 3 + random.below(20) }, (_, i) => row(i))].join('\n')}\n`;
const FILES: Readonly<Record<string, (random: Seeded) => string>> = {
  branch: (random) => rowsText(random, 'code,name', (i) => `B${i},Branch ${random.below(9)}`),
  loan: (random) =>
    rowsText(random, 'id,branch_code,copies', (i) => `${i},B${random.below(12)},${1 + random.below(3)}`),
};

async function load(model: number, random: Seeded): Promise<void> {
  const name = random.pick(Object.keys(FILES));
  const known = (await fixture.stateOf(model)).stored.some((t) => t.name === name);
  const upload = await fixture.upload(`${name}.csv`, FILES[name]!(random));
  const mode = known && random.chance(0.4) ? 'add' : 'replace';
  const job = await fixture.load(model, [{ ...(await fixture.orderOf(upload, name)), mode }]);
  // What cannot be loaded changes nothing: that is an act like another.
  expect(['done', 'failed']).toContain(job.state);
}

async function edit(model: number, made: Edit): Promise<void> {
  const { revision } = await fixture.stateOf(model);
  const sent = api()
    .post(`/api/models/${model}/edits`)
    .send({ base: revision.id, edit: made, says: 'an act' });
  const { status, body } = await sent;
  if (status !== 200)
    expect({ status, body }).toMatchObject({
      status: expect.any(Number),
      body: { code: expect.stringMatching(/cannot-answer|wrong-shape/) },
    });
}

async function draft(model: number, random: Seeded): Promise<void> {
  const { body } = await api().get(`/api/models/${model}/proposals`).expect(200);
  const { proposals } = body as { proposals: Proposal[] };
  if (proposals.length > 0) await edit(model, random.pick(proposals).edit);
}

async function remedy(model: number, random: Seeded): Promise<void> {
  const { claims } = await judged(model);
  const edits = claims
    .filter((c) => c.verdict === 'broken')
    .flatMap((c) => c.remedies.flatMap((r) => (r.edit ? [r.edit] : [])));
  if (edits.length > 0) await edit(model, random.pick(edits));
}

/** An edit by hand. */
function byHand({ model }: ModelState, random: Seeded): Edit {
  const table = model.tables.length > 0 ? random.pick(model.tables) : undefined;
  const measures = model.measures ?? [];
  const name = `M${random.below(5)}`;
  const choices: Edit[] = [
    [{ do: 'set-model', change: { title: `Title ${random.below(100)}` } }],
    [{ do: 'put-measures', name: null, value: { name, formula: table ? `count(${table.name})` : '1' } }],
    ...(measures.length > 0
      ? ([
          [{ do: 'remove-measures', name: random.pick(measures).name }],
          [{ do: 'rename', of: { measure: random.pick(measures).name }, to: `N${random.below(5)}` }],
        ] as Edit[])
      : []),
    ...(table
      ? ([
          [
            {
              do: 'set-table',
              table: table.name,
              change: { role: random.pick(['fact', 'dimension', 'staging']) },
            },
          ],
          [{ do: 'rename', of: { table: table.name }, to: `T${random.below(5)}` }],
          [
            {
              do: 'rename',
              of: { table: table.name, column: random.pick(table.columns).name },
              to: `c${random.below(5)}`,
            },
          ],
          [{ do: 'remove-tables', name: table.name }],
          [{ do: 'set-table', table: table.name, change: { key: [random.pick(table.columns).name] } }],
        ] as Edit[])
      : []),
  ];
  return random.pick(choices);
}

async function judged(model: number): Promise<ClaimsState> {
  for (;;) {
    const state = (await api().get(`/api/models/${model}/claims`).expect(200)).body as ClaimsState;
    expect(state.failure).toBeUndefined();
    if (state.done) return state;
    await new Promise((resume) => setTimeout(resume, 10));
  }
}

/** All that can be seen of a model: itself, its rows, and what is known of its claims. */
async function seen(id: number) {
  const { model, stored } = await fixture.stateOf(id);
  const rows = await Promise.all(
    stored.map(async ({ name }) => [name, await fixture.rowsOf(id, name)] as const),
  );
  const { claims } = await judged(id);
  return {
    model,
    rows,
    verdicts: claims.map(({ id: claim, verdict, evidence }) => ({ claim, verdict, evidence })),
  };
}

async function all(model: number, way: 'undo' | 'redo'): Promise<number> {
  for (let steps = 0; ; steps++) {
    const { revision, canUndo, canRedo } = await fixture.stateOf(model);
    if (!(way === 'undo' ? canUndo : canRedo)) return steps;
    await api().post(`/api/models/${model}/${way}`).send({ base: revision.id }).expect(200);
  }
}

test.each(Array.from({ length: cases(6) }, (_, i) => i + 1))(
  'seed %i: undo all is the start, redo all the end',
  async (seed) => {
    const random = seeded(seed);
    const model = await fixture.newModel(`Undone ${seed}`);
    const start = await seen(model);
    for (let n = 0; n < 25; n++) {
      const kind = random.below(10);
      if (n === 0 || kind < 3) await load(model, random);
      else if (kind < 4) await draft(model, random);
      else if (kind < 5) await remedy(model, random);
      else await edit(model, byHand(await fixture.stateOf(model), random));
      // Now and then somebody thinks better of it at once.
      if (random.chance(0.1)) {
        const { revision, canUndo } = await fixture.stateOf(model);
        if (canUndo) await api().post(`/api/models/${model}/undo`).send({ base: revision.id }).expect(200);
      }
    }
    // What was thought better of last may still be redone: the end is where redo leads.
    await all(model, 'redo');
    const end = await seen(model);
    expect(await all(model, 'undo')).toBeGreaterThan(3);
    expect(await seen(model)).toEqual(start);
    await all(model, 'redo');
    expect(await seen(model)).toEqual(end);
    expect(fixture.logged).toEqual([]);
  },
);

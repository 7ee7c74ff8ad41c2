import type { ClaimsState, JobState, ReleaseEntry } from '@crease/contract';
import type { ApiFixture } from './apiFixture.ts';

const DIALECT = { delimiter: ',', quote: '"', header: true, encoding: 'utf-8', newline: '\n' };
const columns = (types: Readonly<Record<string, string>>) =>
  Object.entries(types).map(([name, type]) => ({ name, fileName: name, type }));

/** A branch and its loans, of which the perspective `Desk` is not shown what they cost. */
export const LOANS =
  'no,branch,day,copies,cost\n1,1,2026-01-05,2,10\n2,1,2026-02-05,3,20\n3,2,2026-02-07,5,40\n';
const BRANCHES = "branch,town,secret\n1,O'Town,x\n2,Pier,y\n";

export async function loadLoans(fixture: ApiFixture, id: number, text: string): Promise<void> {
  const upload = await fixture.upload('loan.csv', text);
  const of = { no: 'integer', branch: 'integer', day: 'date', copies: 'integer', cost: 'integer' };
  await fixture.load(id, [{ upload, name: 'loan', dialect: DIALECT, columns: columns(of) }]);
}

export async function edited(fixture: ApiFixture, id: number, edit: readonly object[]): Promise<void> {
  const { revision } = await fixture.stateOf(id);
  await fixture
    .api()
    .post(`/api/models/${id}/edits`)
    .send({ base: revision.id, edit, says: 'edit' })
    .expect(200);
}

async function judged(fixture: ApiFixture, id: number): Promise<void> {
  for (;;) {
    const answer = await fixture.api().get(`/api/models/${id}/claims`).expect(200);
    if ((answer.body as ClaimsState).done) return;
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/** A model with a perspective and kept trials, as it is before it is released. */
export async function libraryModel(fixture: ApiFixture, title: string): Promise<number> {
  const id = await fixture.newModel(title);
  await loadLoans(fixture, id, LOANS);
  const upload = await fixture.upload('branch.csv', BRANCHES);
  const of = { branch: 'integer', town: 'text', secret: 'text' };
  await fixture.load(id, [{ upload, name: 'branch', dialect: DIALECT, columns: columns(of) }]);
  const desk = {
    name: 'Desk',
    tables: [{ table: 'branch', title: 'Branches' }],
    columns: ['loan.no', 'loan.day', { column: 'loan.copies', title: 'Copies lent' }],
    measures: [{ measure: 'Copies', title: 'Lent' }, 'Copies per cost'],
    trials: ['By town', 'Dear ones'],
    listings: ['Lines'],
  };
  await edited(fixture, id, [
    { do: 'set-table', table: 'branch', change: { key: ['branch'], role: 'dimension', label: 'town' } },
    { do: 'set-table', table: 'loan', change: { key: ['no'], role: 'fact' } },
    { do: 'set-column', table: 'branch', column: 'secret', change: { hidden: true } },
    {
      do: 'put-relationships',
      name: null,
      value: {
        name: 'loan_branch',
        from: { table: 'loan', columns: ['branch'] },
        to: { table: 'branch', columns: ['branch'] },
      },
    },
    { do: 'put-measures', name: null, value: { name: 'Copies', formula: 'sum(loan.copies)' } },
    { do: 'put-measures', name: null, value: { name: 'Cost', formula: 'sum(loan.cost)' } },
    {
      do: 'put-measures',
      name: null,
      value: {
        name: 'Copies per cost',
        formula: 'sum(loan.copies) / sum(loan.cost)',
        goal: { measure: 'Cost' },
      },
    },
    {
      do: 'put-trials',
      name: null,
      value: { name: 'By town', query: { by: ['branch.town'], measures: ['Copies'], totals: true } },
    },
    {
      do: 'put-trials',
      name: null,
      value: {
        name: 'Dear ones',
        query: { by: ['branch.town'], measures: ['Copies'], filters: [{ where: 'loan.cost > 15' }] },
      },
    },
    {
      do: 'put-detailListings',
      name: null,
      value: { name: 'Lines', table: 'loan', columns: ['loan.no', 'branch.town'], where: 'loan.cost > 15' },
    },
    { do: 'put-perspectives', name: null, value: desk },
    {
      do: 'put-targets',
      name: null,
      value: { name: 'local', kind: 'folder', path: `out/${title}`, as: 'csv' },
    },
  ]);
  await judged(fixture, id);
  return id;
}

export async function released(fixture: ApiFixture, id: number, body: object = {}): Promise<ReleaseEntry> {
  await judged(fixture, id);
  const answer = await fixture
    .api()
    .post(`/api/models/${id}/releases`)
    .send({ target: 'local', author: 'Ida', ...body });
  if (answer.status !== 200) throw new Error(JSON.stringify(answer.body));
  const job = await fixture.settled(answer.body as JobState);
  if (job.state !== 'done') throw new Error(job.faults.join('; '));
  const log = (await fixture.api().get(`/api/models/${id}/releases`).expect(200)).body as ReleaseEntry[];
  return log[0]!;
}

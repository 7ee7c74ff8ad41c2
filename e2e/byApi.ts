import { expect } from '@playwright/test';
import type { APIRequestContext } from '@playwright/test';
import type { JobState, ModelState, PreviewState } from '@crease/contract';
import type { Edit } from '@crease/core/edit';

// What a journey begins with and is not about: models, rows and edits, by the routes.

export async function newModel(request: APIRequestContext, title: string): Promise<number> {
  return ((await (await request.post('/api/models', { data: { title } })).json()) as { id: number }).id;
}

export const stateOf = async (request: APIRequestContext, id: number): Promise<ModelState> =>
  (await (await request.get(`/api/models/${id}`)).json()) as ModelState;

/** Loads a table from delimited text; columns have the types that are found, except those that are said. */
export async function loadText(
  request: APIRequestContext,
  id: number,
  name: string,
  text: string,
  types: Readonly<Record<string, string>> = {},
  more: { readonly recipe?: string } = {},
): Promise<void> {
  const sent = await request.post(`/api/uploads?name=${name}.csv`, {
    data: Buffer.from(text),
    headers: { 'content-type': 'application/octet-stream' },
  });
  const upload = ((await sent.json()) as { id: string }).id;
  const looked = await request.post(`/api/uploads/${upload}/preview`, { data: {} });
  const { preview } = (await looked.json()) as PreviewState;
  const columns = preview.columns.map((c) => ({
    name: c.name,
    fileName: c.fileName,
    place: c.place,
    type: types[c.name] ?? c.type.kind,
    ...(c.pattern && types[c.name] === undefined ? { pattern: c.pattern } : {}),
  }));
  const table = { upload, name, dialect: preview.dialect, columns, ...more };
  const begun = await request.post(`/api/models/${id}/intake`, { data: { tables: [table] } });
  expect(begun.ok(), await begun.text()).toBe(true);
  let job = (await begun.json()) as JobState;
  while (job.state === 'running') job = (await (await request.get(`/api/jobs/${job.id}`)).json()) as JobState;
  expect(job).toMatchObject({ state: 'done' });
}

export async function edited(request: APIRequestContext, id: number, edit: Edit): Promise<void> {
  const { revision } = await stateOf(request, id);
  const answer = await request.post(`/api/models/${id}/edits`, {
    data: { base: revision.id, edit, says: 'made by a test' },
  });
  expect(answer.ok(), await answer.text()).toBe(true);
}

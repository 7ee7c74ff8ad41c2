import type { Workspace } from '../workspace.ts';

const POLL_MS = 50;
/** Claims that take longer are told as they were: the rows are there either way. */
const LONGEST_MS = 120_000;

/** Ids of broken claims, once all have been judged. */
export async function brokenClaims({ claims }: Workspace, modelId: number): Promise<string[]> {
  claims.refresh(modelId);
  for (let waited = 0; waited < LONGEST_MS; waited += POLL_MS) {
    const state = claims.state(modelId);
    if (state.done || state.failure !== undefined)
      return state.claims.filter((c) => c.verdict === 'broken').map((c) => c.id);
    await new Promise((resume) => setTimeout(resume, POLL_MS));
  }
  return [];
}

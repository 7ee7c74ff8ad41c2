import type { Workspace } from '../workspace.ts';

const POLL_MS = 50;
/** Whoever loads waits no longer for claims: the rows are there either way. */
const LONGEST_MS = 120_000;

/** Ids of broken claims, once all have been judged; undefined where that takes too long to wait for. */
export async function brokenClaims({ claims }: Workspace, modelId: number): Promise<string[] | undefined> {
  claims.refresh(modelId);
  for (let waited = 0; waited < LONGEST_MS; waited += POLL_MS) {
    const state = claims.state(modelId);
    if (state.done || state.failure !== undefined)
      return state.claims.filter((c) => c.verdict === 'broken').map((c) => c.id);
    await new Promise((resume) => setTimeout(resume, POLL_MS));
  }
  return undefined;
}

/** What a load broke and mended; nothing is told where it is not known on either side. */
export const claimsChanged = (
  before: readonly string[] | undefined,
  after: readonly string[] | undefined,
): { broken: string[]; mended: string[] } =>
  before && after
    ? {
        broken: after.filter((id) => !before.includes(id)),
        mended: before.filter((id) => !after.includes(id)),
      }
    : { broken: [], mended: [] };

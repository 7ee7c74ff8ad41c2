/**
 * How many random cases a test draws: `usual` in each run of `npm test`, `CREASE_CASES` times as many where
 * somebody has the night for it (`CREASE_CASES=50 npx jest fuzz`).
 */
export const cases = (usual: number): number => Math.ceil(usual * Number(process.env.CREASE_CASES ?? 1));

/** How long a test may take that draws so many cases: as many times as long where it draws more. */
export const caseTime = (usualMs: number): number =>
  usualMs * Math.max(1, Number(process.env.CREASE_CASES ?? 1));

/**
 * How many random cases a test draws: `usual` in each run of `npm test`, `CREASE_CASES` times as many where
 * somebody has the night for it (`CREASE_CASES=50 npx jest fuzz`).
 */
export const cases = (usual: number): number => Math.ceil(usual * Number(process.env.CREASE_CASES ?? 1));

// Property tests draw the same cases in every run, so that a run fails only for a change in the code; SEED draws others.
require('fast-check').configureGlobal({ seed: Number(process.env.SEED ?? 20260630) });

import type { StepKind } from '../step.ts';

/**
 * `{ "off": { "filter": "kind = 'loan'" } }`: a step that is switched off and kept for later. The rows stay
 * as they are.
 */
export const off: StepKind<'off'> = {
  verb: 'off',
  empty: () => ({}),
  text: (step) => `switched off: ${Object.keys(step).join(', ')}`,
  apply: (input) => input,
  rename: (step, names) => ({ argument: names.inner(step) }),
};

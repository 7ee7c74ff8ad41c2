export * from './claim.ts';
export * from './judge.ts';
export { CLAIM_KINDS } from './kinds/index.ts';
export { codeReason, isCodeName } from './kinds/notAQuantity.ts';
export { DependencyDigest } from './basis.ts';
export type { PerspectiveEffect } from './perspectiveEffects.ts';
export { perspectiveEffects } from './perspectiveEffects.ts';

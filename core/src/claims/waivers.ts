import type { Model, Waiver } from '../model/index.ts';
import { refKey } from '../model/index.ts';
import type { Claim } from './claim.ts';

/** What the model's waivers say of a claim. */
export interface FoundWaiver {
  readonly waiver?: Waiver;
  /** Why one that seems to name the claim does not count. */
  readonly note?: string;
}

const fold = (text: string): string => text.toLowerCase();

/**
 * The waivers of claims, by claim id. A waiver names its claim by kind and parts; an id as text is still
 * read, and does not count where several claims have that id.
 */
export function waiversByClaim(
  claims: readonly Pick<Claim, 'id' | 'ref'>[],
  model: Model,
): ReadonlyMap<string, FoundWaiver> {
  const [byRef, byId] = [new Map<string, Waiver>(), new Map<string, Waiver>()];
  for (const waiver of model.waivers ?? []) {
    if (typeof waiver.claim === 'string') byId.set(fold(waiver.claim), waiver);
    else byRef.set(refKey(waiver.claim), waiver);
  }
  const found = new Map<string, FoundWaiver>();
  if (byRef.size + byId.size === 0) return found;
  const ids = new Map<string, number>();
  for (const { id } of claims) ids.set(fold(id), (ids.get(fold(id)) ?? 0) + 1);
  for (const { id, ref } of claims) {
    const own = byRef.get(refKey(ref));
    const named = byId.get(fold(id));
    if (own) found.set(id, { waiver: own });
    else if (named && ids.get(fold(id)) === 1) found.set(id, { waiver: named });
    else if (named)
      found.set(id, { note: `the waiver of "${id}" names several claims: name one by its kind and parts` });
  }
  return found;
}

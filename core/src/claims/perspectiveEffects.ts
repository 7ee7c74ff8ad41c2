import { FormulaChecker } from '../formula/index.ts';
import type { Model, Perspective } from '../model/index.ts';
import { PERSPECTIVE_PARTS, sameName, shownNames, withFamilies } from '../model/index.ts';
import { openIn } from './kinds/perspectiveClosed.ts';

/** What a change of the model does to one perspective. */
export interface PerspectiveEffect {
  readonly perspective: string;
  /** It is gone with the change. */
  readonly removed: boolean;
  /** Names that it shows no more, and shows newly. */
  readonly loses: readonly string[];
  readonly gains: readonly string[];
  /** What does not work together only with the change, and what does again. */
  readonly breaks: readonly string[];
  readonly mends: readonly string[];
}

/** What a change does to each perspective that was there; only those to which it does anything. */
export function perspectiveEffects(before: Model, after: Model): PerspectiveEffect[] {
  const [was, is] = [before, after].map((model) => new FormulaChecker(withFamilies(model)));
  return (before.perspectives ?? []).flatMap((old) => {
    const perspective = (after.perspectives ?? []).find((p) => sameName(p.name, old.name));
    if (!perspective)
      return [{ perspective: old.name, removed: true, loses: [], gains: [], breaks: [], mends: [] }];
    const [shown, shows] = [allNames(old), allNames(perspective)];
    const [open, opens] = [openIn(was!, old), openIn(is!, perspective)];
    const effect = {
      perspective: old.name,
      removed: false,
      loses: lacking(shown, shows),
      gains: lacking(shows, shown),
      breaks: lacking(opens, open),
      mends: lacking(open, opens),
    };
    const does = [effect.loses, effect.gains, effect.breaks, effect.mends].some((list) => list.length > 0);
    return does ? [effect] : [];
  });
}

const allNames = (p: Perspective): string[] => PERSPECTIVE_PARTS.flatMap((part) => shownNames(p, part));

/** Texts of one list that the other has not. */
const lacking = (list: readonly string[], other: readonly string[]): string[] => {
  const known = new Set(other);
  return list.filter((text) => !known.has(text));
};

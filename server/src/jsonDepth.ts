/** How deeply a request may be nested: a model's own documents need about ten levels. */
export const MOST_DEPTH = 64;

/**
 * Levels of objects and lists within one another; 0 for a plain value. Stops counting a little past the
 * limit.
 */
export function jsonDepth(value: unknown): number {
  let level: unknown[] = [value];
  for (let depth = 0; ; depth++) {
    const next = level
      .filter((v) => v !== null && typeof v === 'object')
      .flatMap((v) => Object.values(v as object));
    const nested = level.some((v) => v !== null && typeof v === 'object');
    if (!nested || depth > MOST_DEPTH) return depth;
    level = next;
  }
}

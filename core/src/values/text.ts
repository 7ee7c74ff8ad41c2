const SURROGATE = /[\ud800-\udfff]/;

/**
 * Compares by Unicode code point. JavaScript compares UTF-16 units, which differs only where
 * characters beyond U+FFFF meet those from U+E000 on.
 */
export function compareText(a: string, b: string): number {
  if (a === b) return 0;
  if (!SURROGATE.test(a) && !SURROGATE.test(b)) return a < b ? -1 : 1;
  const length = Math.min(a.length, b.length);
  for (let i = 0; i < length; i++) {
    const [x, y] = [a.charCodeAt(i), b.charCodeAt(i)];
    if (x === y) continue;
    const [xs, ys] = [x >= 0xd800 && x <= 0xdfff, y >= 0xd800 && y <= 0xdfff];
    if (xs !== ys) return xs ? 1 : -1;
    return x < y ? -1 : 1;
  }
  return a.length < b.length ? -1 : 1;
}

const RUNS = /\d+|\D+/g;

/**
 * Compares texts as people count: runs of digits by the number that they write, everything else by code
 * point. "Shop 2" is before "Shop 10".
 */
export function compareCountingText(a: string, b: string): number {
  const [x, y] = [a.match(RUNS) ?? [], b.match(RUNS) ?? []];
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const order = compareRuns(x[i]!, y[i]!);
    if (order !== 0) return order;
  }
  return x.length - y.length || compareText(a, b);
}

function compareRuns(a: string, b: string): number {
  if (!/^\d/.test(a) || !/^\d/.test(b)) return compareText(a, b);
  const [x, y] = [a.replace(/^0+(?=\d)/, ''), b.replace(/^0+(?=\d)/, '')];
  return x.length - y.length || compareText(x, y);
}

/** Sorts in place by code point; uses the engine's own order where that is the same. */
export function sortTexts(texts: string[]): string[] {
  return texts.some((text) => SURROGATE.test(text)) ? texts.sort(compareText) : texts.sort();
}

/** The known name nearest to a misspelt one by Damerau-Levenshtein distance, or undefined if none is near. */
export function nearestName(name: string, known: Iterable<string>): string | undefined {
  const wanted = name.toLowerCase();
  let best: string | undefined;
  let bestDistance = Math.max(1, Math.floor(wanted.length / 3)) + 1;
  for (const candidate of known) {
    const distance = editDistance(wanted, candidate.toLowerCase(), bestDistance);
    if (distance < bestDistance) [best, bestDistance] = [candidate, distance];
  }
  return best;
}

/** Optimal string alignment distance; stops early and returns `limit` where it would be reached. */
function editDistance(a: string, b: string, limit: number): number {
  if (Math.abs(a.length - b.length) >= limit) return limit;
  let [before, last] = [[] as number[], Array.from({ length: b.length + 1 }, (_, j) => j)];
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let d = Math.min(last[j]! + 1, row[j - 1]! + 1, last[j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        d = Math.min(d, before[j - 2]! + 1);
      row.push(d);
    }
    [before, last] = [last, row];
  }
  return last[b.length]!;
}

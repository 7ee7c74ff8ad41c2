/** Buckets up to this size are sorted by plain insertion. */
const SMALL = 24;

/**
 * Places of entries in ascending order of their bytes, which for UTF-8 is the order of code points.
 * Entry k is bytes[ends[k - 1]] up to bytes[ends[k]]. Method: most-significant-digit radix sort (McIlroy, Bostic and
 * McIlroy, "Engineering Radix Sort", 1993) with an explicit stack.
 */
export function byteOrder(bytes: Uint8Array, ends: Float64Array, size: number): Uint32Array {
  const order = Uint32Array.from({ length: size }, (_, k) => k);
  const other = new Uint32Array(size);
  const starts = new Float64Array(size);
  for (let k = 1; k < size; k++) starts[k] = ends[k - 1]!;
  const counts = new Uint32Array(258);
  const stack: number[] = [0, size, 0]; // from, to, depth
  while (stack.length > 0) {
    const depth = stack.pop()!;
    const to = stack.pop()!;
    const from = stack.pop()!;
    if (to - from <= SMALL) {
      insertionSort(order, from, to, depth, bytes, starts, ends);
      continue;
    }
    counts.fill(0);
    // Digit 0 is the end of the entry, so that a prefix comes before what it begins.
    for (let i = from; i < to; i++) {
      const at = starts[order[i]!]! + depth;
      counts[at < ends[order[i]!]! ? bytes[at]! + 2 : 1]!++;
    }
    // Where all entries share the byte there is nothing to move.
    const shared = starts[order[from]!]! + depth;
    const digit = shared < ends[order[from]!]! ? bytes[shared]! + 2 : 1;
    if (counts[digit] === to - from) {
      if (digit > 1) stack.push(from, to, depth + 1);
      continue;
    }
    for (let d = 1; d < 258; d++) counts[d]! += counts[d - 1]!;
    const bounds = counts.slice();
    for (let i = from; i < to; i++) {
      const k = order[i]!;
      const at = starts[k]! + depth;
      other[from + counts[at < ends[k]! ? bytes[at]! + 1 : 0]!++] = k;
    }
    order.set(other.subarray(from, to), from);
    for (let d = 1; d < 257; d++) {
      if (bounds[d + 1]! - bounds[d]! > 1) stack.push(from + bounds[d]!, from + bounds[d + 1]!, depth + 1);
    }
  }
  return order;
}

function insertionSort(
  order: Uint32Array,
  from: number,
  to: number,
  depth: number,
  bytes: Uint8Array,
  starts: Float64Array,
  ends: Float64Array,
): void {
  for (let i = from + 1; i < to; i++) {
    const k = order[i]!;
    let j = i - 1;
    while (j >= from && isAfter(order[j]!, k, depth, bytes, starts, ends)) {
      order[j + 1] = order[j]!;
      j--;
    }
    order[j + 1] = k;
  }
}

function isAfter(a: number, b: number, depth: number, bytes: Uint8Array, starts: Float64Array, ends: Float64Array): boolean {
  let i = starts[a]! + depth;
  let j = starts[b]! + depth;
  const endA = ends[a]!;
  const endB = ends[b]!;
  while (i < endA && j < endB) {
    const difference = bytes[i++]! - bytes[j++]!;
    if (difference !== 0) return difference > 0;
  }
  return i < endA;
}

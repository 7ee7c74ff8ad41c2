const numbers = new WeakMap<object, number>();
let last = 0;

/** A number for what is long, the same for as long as it is the same object: a small key in its place. */
export function identityOf(object: object | undefined): number | undefined {
  if (object === undefined) return undefined;
  const found = numbers.get(object) ?? ++last;
  numbers.set(object, found);
  return found;
}

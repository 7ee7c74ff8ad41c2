const made = new Map<string, Intl.NumberFormat>();

/**
 * Writes numbers in the browser's language. Making a writer takes as long as using it some hundred times:
 * they are kept by what they are asked for.
 */
export function numberFormat(options: Intl.NumberFormatOptions = {}): Intl.NumberFormat {
  const key = JSON.stringify(options);
  let found = made.get(key);
  if (!found) made.set(key, (found = new Intl.NumberFormat(undefined, options)));
  return found;
}

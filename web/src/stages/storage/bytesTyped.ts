const UNITS: Readonly<Record<string, number>> = { '': 1, b: 1, kb: 1e3, mb: 1e6, gb: 1e9, tb: 1e12 };

/** Bytes as somebody types them: `200 MB`, `1.5GB`, `4096`; undefined for anything else, and for none. */
export function bytesTyped(text: string): number | undefined {
  const match = /^\s*(\d+(?:[.,]\d+)?)\s*([kmgt]?b?)\s*$/i.exec(text);
  if (!match) return undefined;
  const unit = match[2]!.toLowerCase();
  const factor = UNITS[unit] ?? UNITS[`${unit}b`];
  const bytes = Math.round(Number(match[1]!.replace(',', '.')) * (factor ?? NaN));
  return Number.isSafeInteger(bytes) && bytes > 0 ? bytes : undefined;
}

import { parseFormula } from './parser.ts';

/**
 * The names of columns, tables or measures in a formula as they are written, without their quotes, parts
 * joined by a point; each once.
 */
export function namesIn(formula: string): string[] {
  const found = new Set<string>();
  const walk = (node: unknown): void => {
    if (Array.isArray(node)) node.forEach(walk);
    else if (typeof node === 'object' && node !== null) {
      const { kind, parts } = node as { kind?: string; parts?: readonly { text: string }[] };
      if (kind === 'name' && parts) found.add(parts.map((p) => p.text).join('.'));
      else Object.values(node).forEach(walk);
    }
  };
  walk(parseFormula(formula).tree);
  return [...found];
}

import { quoteName } from '@crease/core/formula';
import { nearestName } from '@crease/core/values';

interface Named {
  readonly name: string;
  readonly type: string;
}

const HOLE = /\{([^{}]*)\}/g;

/**
 * What is wrong with the pattern of a link, or undefined: it begins with a scheme, and names columns in
 * braces.
 */
export function linkFault(pattern: string, columns: readonly Named[]): string | undefined {
  if (!/^[a-z][a-z0-9+.-]*:/i.test(pattern)) return 'a link begins with its scheme, as in https://';
  const names = [...pattern.matchAll(HOLE)].map((hole) => hole[1]!.trim());
  if (names.length === 0) return 'name a column in braces, as in {key}';
  const odd = names.find((name) => !columns.some((c) => c.name.toLowerCase() === name.toLowerCase()));
  if (odd === undefined) return undefined;
  const near = nearestName(
    odd,
    columns.map((c) => c.name),
  );
  return `there is no column "${odd}"${near ? `; did you mean ${near}?` : ''}`;
}

/** The formula that puts values into a link: texts beside each other, numbers and days written out. */
export function linkFormula(pattern: string, columns: readonly Named[]): string {
  const parts: string[] = [];
  let at = 0;
  const text = (part: string) => {
    if (part !== '') parts.push(`'${part.replaceAll("'", "''")}'`);
  };
  for (const hole of pattern.matchAll(HOLE)) {
    text(pattern.slice(at, hole.index));
    const column = columns.find((c) => c.name.toLowerCase() === hole[1]!.trim().toLowerCase())!;
    parts.push(column.type === 'text' ? quoteName(column.name) : `cast(${quoteName(column.name)} as text)`);
    at = hole.index + hole[0].length;
  }
  text(pattern.slice(at));
  return parts.join(' || ');
}

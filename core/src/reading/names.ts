/**
 * How columns of files are named: as the file writes them, as names that SQL needs no quotes for, or as words
 * for people.
 */
export const NAMING_RULES = ['as they are', 'snake_case', 'words'] as const;
export type NamingRule = (typeof NAMING_RULES)[number];

/** The longest name that is taken: what databases in use allow without cutting. */
const LONGEST_NAME = 63;

/** Words of SQL that columns are often called, and that cannot stand as names without quotes. */
const RESERVED = new Set(
  `all and any array as asc between both by case cast check collate column constraint create cross current_date default desc distinct do else
  end except exists false fetch for foreign from full grant group having in inner intersect into is join key lateral leading left like limit
  natural not null offset on only or order outer over partition primary references returning right row rows select session_user set some table
  then to top trailing true union unique user using values when where window with`.split(/\s+/),
);

/**
 * Parts of a name: cut at what is neither letter nor digit, and where a small letter or digit meets a
 * capital.
 */
const partsOf = (name: string): string[] =>
  name.replace(/(?<=[\p{Ll}\d])(?=\p{Lu})/gu, ' ').match(/[\p{L}\p{N}]+/gu) ?? [];

function byRule(name: string, rule: NamingRule): string {
  // Line ends and the like have no place in a name, whatever the rule.
  const legal = name.replace(/[\p{Cc}\s]+/gu, ' ').trim();
  if (rule === 'as they are') return legal;
  const parts = partsOf(legal);
  if (rule === 'words') {
    const words = parts.map((part) => (/^\p{Lu}{2,}$/u.test(part) ? part : part.toLowerCase())).join(' ');
    return words.charAt(0).toUpperCase() + words.slice(1);
  }
  const snake = parts.join('_').normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();
  const begun = /^\d/.test(snake) ? `n_${snake}` : snake;
  return RESERVED.has(begun) ? `${begun}_` : begun;
}

/**
 * Names by the rule: blank columns get one, long ones are cut, double ones numbered. Says what it did beyond
 * the rule, in plain words.
 */
export function mendNames(
  names: readonly string[],
  rule: NamingRule = 'as they are',
): { mendedNames: string[]; mended: string[] } {
  const taken = new Set<string>();
  const mended: string[] = [];
  const mendedNames = names.map((name, i) => {
    const ruled = byRule(name, rule);
    const base = (ruled === '' ? `column_${i + 1}` : ruled).slice(0, LONGEST_NAME);
    let unique = base;
    for (let n = 2; taken.has(unique.toLowerCase()); n++) unique = `${base.slice(0, LONGEST_NAME - 4)}_${n}`;
    taken.add(unique.toLowerCase());
    if (ruled === '') mended.push(`column ${i + 1} has no name: named "${unique}"`);
    else if (unique !== base) mended.push(`"${base}" occurs twice: column ${i + 1} is named "${unique}"`);
    else if (base !== ruled)
      mended.push(`the name of column ${i + 1} is longer than ${LONGEST_NAME} characters: named "${unique}"`);
    else if (rule === 'as they are' && RESERVED.has(unique.toLowerCase()))
      mended.push(`"${unique}" is a word of SQL: formulas and DDL quote it`);
    return unique;
  });
  return { mendedNames, mended };
}

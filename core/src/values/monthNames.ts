/**
 * Names of months and their usual abbreviations, in English, German, French, Spanish, Italian and Dutch (as
 * the Unicode Common Locale Data Repository has them), without marks over letters. No name stands for two
 * months.
 */
const NAMES: readonly string[] = [
  'january jan januar janner janvier janv enero ene gennaio gen januari',
  'february feb februar fevrier fevr febrero febbraio februari',
  'march mar marz mrz mars marzo maart mrt',
  'april apr avril avr abril abr aprile',
  'may mai mayo maggio mag mei',
  'june jun juni juin junio giugno giu',
  'july jul juli juillet juil julio luglio lug',
  'august aug aout agosto ago augustus',
  'september sep sept septembre septiembre settembre set',
  'october oct oktober okt octobre octubre ottobre ott',
  'november nov novembre noviembre',
  'december dec dezember dez decembre diciembre dic dicembre',
];

const MONTHS = new Map(NAMES.flatMap((names, i) => names.split(' ').map((name) => [name, i + 1] as const)));

/** The month, from 1, that a name or an abbreviation stands for; a point behind it is left out. */
export const monthOf = (name: string): number | undefined =>
  MONTHS.get(name.normalize('NFD').replace(/\p{M}/gu, '').replace(/\.$/, '').toLowerCase());

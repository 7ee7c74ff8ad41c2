/** What functions and aggregates are also called, in words and dialects of SQL, and what is written here. */
const OTHER_NAMES: Readonly<Record<string, string>> = {
  average: 'avg',
  mean: 'avg',
  total: 'sum',
  minimum: 'min',
  maximum: 'max',
  stddev: 'stddev_samp',
  variance: 'var_samp',
  count_distinct: 'count(distinct …)',
  len: 'char_length',
  length: 'char_length',
  substr: 'substring',
  left: 'substring(text, 1, n)',
  instr: 'position',
  ucase: 'upper',
  lcase: 'lower',
  ltrim: 'trim',
  rtrim: 'trim',
  concat: 'a || b',
  ifnull: 'coalesce',
  nvl: 'coalesce',
  ceil: 'ceiling',
  pow: 'power',
  log: 'ln',
  year: 'extract(year from …)',
  quarter: 'extract(quarter from …)',
  month: 'extract(month from …)',
  day: 'extract(day from …)',
  if: 'case when … then … else … end',
};

/** What is written for a name that there is no function of; undefined where it is not known either. */
export const otherwiseNamed = (name: string): string | undefined =>
  Object.hasOwn(OTHER_NAMES, name.toLowerCase()) ? OTHER_NAMES[name.toLowerCase()] : undefined;

/** Names that stand for another one alone, by that one: a completion of `average` writes `avg`. */
export const PLAIN_OTHER_NAMES: readonly (readonly [string, string])[] = Object.entries(OTHER_NAMES).filter(
  ([, here]) => /^[a-z_]+$/.test(here),
);

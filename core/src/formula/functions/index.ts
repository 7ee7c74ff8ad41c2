import type { ScalarFunction } from './definition.ts';
import { abs } from './abs.ts';
import { ceiling } from './ceiling.ts';
import { charLength } from './charLength.ts';
import { coalesce } from './coalesce.ts';
import { dateAdd } from './dateAdd.ts';
import { dateDiff } from './dateDiff.ts';
import { dateTrunc } from './dateTrunc.ts';
import { div } from './div.ts';
import { exp } from './exp.ts';
import { extract } from './extract.ts';
import { floor } from './floor.ts';
import { greatest } from './greatest.ts';
import { least } from './least.ts';
import { ln } from './ln.ts';
import { lower } from './lower.ts';
import { makeDate } from './makeDate.ts';
import { mod } from './mod.ts';
import { nullif } from './nullif.ts';
import { position } from './position.ts';
import { power } from './power.ts';
import { replace } from './replace.ts';
import { round } from './round.ts';
import { sign } from './sign.ts';
import { sqrt } from './sqrt.ts';
import { substring } from './substring.ts';
import { trim } from './trim.ts';
import { upper } from './upper.ts';

export type { Application, Argument, ScalarFunction } from './definition.ts';

/** All functions, in the order of the documentation. A new function is one file and one entry here. */
export const FUNCTIONS: readonly ScalarFunction[] = [
  coalesce,
  nullif,
  abs,
  round,
  floor,
  ceiling,
  sign,
  sqrt,
  power,
  exp,
  ln,
  mod,
  div,
  greatest,
  least,
  upper,
  lower,
  trim,
  substring,
  position,
  charLength,
  replace,
  extract,
  dateAdd,
  dateDiff,
  dateTrunc,
  makeDate,
];

const byName = new Map(FUNCTIONS.map((f) => [f.name, f]));
export const functionNamed = (name: string): ScalarFunction | undefined => byName.get(name.toLowerCase());

export { otherwiseNamed, PLAIN_OTHER_NAMES } from './otherNames.ts';

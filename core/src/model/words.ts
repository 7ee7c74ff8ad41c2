/**
 * Words of a name in lower case and without accents, cut on everything that is no letter or digit and where a
 * small letter meets a capital:
 * `loanDate`, `LOAN_DATE` and `Loan dåte` are `loan`, `date`.
 */
export const nameWords = (name: string): string[] =>
  name
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);

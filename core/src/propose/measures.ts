import { quoteName, quotePath } from '../formula/index.ts';
import type { Model } from '../model/index.ts';
import { wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';

/** Base measures of each fact: its rows, and each quantity. */
export function proposeMeasures(model: Model): Proposal[] {
  const taken = new Set([...(model.measures ?? []).map((m) => m.name.toLowerCase()), ...model.tables.map((t) => t.name.toLowerCase())]);
  const free = (name: string, table: string): string => {
    const unique = taken.has(name.toLowerCase()) ? `${name} of ${table.replaceAll('_', ' ')}` : name;
    taken.add(unique.toLowerCase());
    return unique;
  };
  const title = (name: string) =>
    wordsOf(name)
      .join(' ')
      .replace(/^./, (c) => c.toUpperCase());
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t) => {
      const existing = (model.measures ?? []).map((m) => m.formula.replaceAll('"', '').toLowerCase());
      const wanted = [
        { name: `${title(t.name)} rows`, formula: `count(${quoteName(t.name)})`, why: 'every fact can be counted' },
        ...t.columns
          .filter((c) => c.use === 'quantity' && c.aggregate !== 'none')
          .map((c) => ({
            name: title(c.name),
            formula: `${c.aggregate === 'avg' ? 'avg' : 'sum'}(${quotePath(t.name, c.name)})`,
            why: `${c.name} is a quantity`,
          })),
      ];
      return wanted
        .filter((w) => !existing.includes(w.formula.replaceAll('"', '').toLowerCase()))
        .map((w): Proposal => {
          const name = free(w.name, t.name);
          return {
            id: `measure:${t.name}.${name}`,
            kind: 'measure',
            table: t.name,
            says: `${name} = ${w.formula}`,
            evidence: [w.why],
            edit: [{ do: 'put-measures', name: null, value: { name, table: t.name, formula: w.formula } }],
          };
        });
    });
}

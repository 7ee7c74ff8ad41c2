import type { Edit } from '../edit/index.ts';
import { quotePath } from '../formula/index.ts';
import type { Measure, Model, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';

/** A measure that a fact's column may have, under a name that is free. */
export interface OfferedMeasure {
  readonly column: string;
  readonly measure: Measure;
  /** The name that it would have had, where that is taken: then it is named after the fact. */
  readonly clash?: string;
  readonly edit: Edit;
}

const VERBS: Readonly<Record<string, string>> = { sum: 'sum', avg: 'avg', min: 'min', max: 'max', count: 'count', distinct: 'count' };

/** Measures for the quantities of a fact that no measure stands for yet, and the count of its rows. Names that are taken get the fact's behind them. */
export function offeredMeasures(model: Model, fact: Table): OfferedMeasure[] {
  const measures = model.measures ?? [];
  const taken = new Set([...measures.map((m) => m.name), ...model.tables.map((t) => t.name)].map((n) => n.toLowerCase()));
  const formulas = measures.map((m) => plain(m.formula));
  const name = (wanted: string): { name: string; clash?: string } => {
    const words = (fact.title ?? fact.name).replaceAll('_', ' ');
    const options = [wanted, `${wanted} (${words})`, `${wanted} of ${fact.name}`, `${wanted} of ${fact.name} 2`];
    const free = options.find((o) => !taken.has(o.toLowerCase())) ?? `${wanted} of ${fact.name} ${taken.size}`;
    taken.add(free.toLowerCase());
    return free === wanted ? { name: free } : { name: free, clash: wanted };
  };
  const offered: OfferedMeasure[] = [];
  const offer = (column: string, wanted: string, formula: string, hide: boolean) => {
    if (formulas.includes(plain(formula))) return;
    const { name: called, clash } = name(wanted);
    const measure: Measure = { name: called, table: fact.name, formula };
    offered.push({
      column,
      measure,
      ...(clash === undefined ? {} : { clash }),
      edit: [
        { do: 'put-measures', name: null, value: { ...measure } },
        // The raw column is hidden once a measure stands for it.
        ...(hide ? [{ do: 'set-column' as const, table: fact.name, column, change: { hidden: true } }] : []),
      ],
    });
  };
  offer('', `${titled(fact.title ?? fact.name)}`, `count(${quoted(fact.name)})`, false);
  for (const c of fact.columns) {
    if (c.use !== 'quantity' || c.aggregate === 'none' || !/^(integer|decimal|double)/.test(c.type)) continue;
    const aggregate = c.aggregate ?? 'sum';
    const argument = `${aggregate === 'distinct' ? 'distinct ' : ''}${quotePath(fact.name, c.name)}`;
    offer(c.name, titled(c.title ?? c.name), `${VERBS[aggregate]}(${argument})`, true);
  }
  return offered.filter((o) => !measures.some((m) => sameName(m.name, o.measure.name)));
}

const plain = (formula: string): string => formula.replace(/\s+/g, '').toLowerCase();
const quoted = (name: string): string => (/^[a-z_][a-z0-9_$]*$/.test(name) ? name : `"${name.replaceAll('"', '""')}"`);
const titled = (name: string): string => {
  const words = name.replaceAll('_', ' ');
  return words.charAt(0).toUpperCase() + words.slice(1);
};

import type { Edit } from '../edit/index.ts';
import { quoteName, quotePath } from '../formula/index.ts';
import type { Measure, Model, Table } from '../model/index.ts';
import { freeName } from '../model/index.ts';
import { wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';

/** A measure that a fact may have, under a name that is free. */
export interface OfferedMeasure {
  /** Undefined for the count of the rows. */
  readonly column: string | undefined;
  readonly measure: Measure;
  readonly why: string;
  /** The name that it would have had, where that is taken: then it is named after the fact. */
  readonly clash?: string;
}

/** The aggregates that a column may declare, as formulas. */
const FORMULAS = {
  sum: (x: string) => `sum(${x})`,
  avg: (x: string) => `avg(${x})`,
  min: (x: string) => `min(${x})`,
  max: (x: string) => `max(${x})`,
  count: (x: string) => `count(${x})`,
  distinct: (x: string) => `count(distinct ${x})`,
} as const;

const plain = (formula: string): string => formula.replace(/[\s"]+/g, '').toLowerCase();
const title = (name: string): string =>
  wordsOf(name)
    .join(' ')
    .replace(/^./, (c) => c.toUpperCase());

/**
 * Measures for the rows of a fact and for its quantities, as far as no formula stands for them yet. A name
 * that a measure or a table has gets the fact's behind it. `taken` grows by the names that are given.
 */
export function offeredMeasures(model: Model, fact: Table, taken = takenNames(model)): OfferedMeasure[] {
  const known = new Set((model.measures ?? []).map((m) => plain(m.formula)));
  const wanted = [
    {
      column: undefined,
      name: `${title(fact.name)} rows`,
      formula: `count(${quoteName(fact.name)})`,
      why: 'every fact can be counted',
    },
    ...fact.columns.flatMap((c) =>
      c.use === 'quantity' && c.aggregate !== 'none'
        ? [
            {
              column: c.name,
              name: title(c.name),
              formula: formulaOf(fact, c),
              why: `${c.name} is a quantity`,
            },
          ]
        : [],
    ),
  ];
  return wanted
    .filter((w) => !known.has(plain(w.formula)) && !isMended(fact, w.formula, known))
    .map(({ column, name, formula, why }) => {
      const after = `${name} of ${fact.name.replaceAll('_', ' ')}`;
      const free =
        [name, after].find((n) => !taken.has(n.toLowerCase())) ??
        freeName(
          after,
          [...taken].map((n) => ({ name: n })),
        );
      taken.add(free.toLowerCase());
      return {
        column,
        measure: { name: free, table: fact.name, formula },
        why,
        ...(free === name ? {} : { clash: name }),
      };
    });
}

/** A column's default aggregate; what a snapshot counts is not added up over time. */
function formulaOf(fact: Table, column: Table['columns'][number]): string {
  const aggregate = column.aggregate ?? 'sum';
  const formula = FORMULAS[aggregate === 'none' ? 'sum' : aggregate](quotePath(fact.name, column.name));
  return aggregate === 'sum' && fact.snapshot
    ? `${formula} at last ${quotePath(fact.name, fact.snapshot)}`
    : formula;
}

/** Whether a measure of a snapshot is there already, taken over time in another way. */
function isMended({ snapshot }: Table, formula: string, known: ReadonlySet<string>): boolean {
  if (!snapshot) return false;
  const sum = plain(formula).split('atlast')[0]!;
  return sum.startsWith('sum(') && [...known].some((other) => other !== sum && other.includes(sum));
}

/** Names that a measure cannot have: those of measures and tables, in lower case. */
const takenNames = (model: Model): Set<string> =>
  new Set([...(model.measures ?? []), ...model.tables].map((x) => x.name.toLowerCase()));

/** The edit that makes offered measures; raw columns are hidden once a measure stands for them. */
export const makeMeasures = (offered: readonly OfferedMeasure[]): Edit =>
  offered.flatMap(({ measure, column }): Edit => [
    { do: 'put-measures', name: null, value: { ...measure } },
    ...(column === undefined
      ? []
      : [{ do: 'set-column' as const, table: measure.table!, column, change: { hidden: true } }]),
  ]);

/** Base measures of each fact: its rows, and each quantity. */
export function proposeMeasures(model: Model): Proposal[] {
  const taken = takenNames(model);
  return model.tables
    .filter((t) => t.role === 'fact')
    .flatMap((t) => offeredMeasures(model, t, taken))
    .map(({ measure, why }): Proposal => ({
      id: `measure:${measure.table}.${measure.name}`,
      kind: 'measure',
      table: measure.table!,
      says: `${measure.name} = ${measure.formula}`,
      evidence: [why],
      edit: [{ do: 'put-measures', name: null, value: { ...measure } }],
    }));
}

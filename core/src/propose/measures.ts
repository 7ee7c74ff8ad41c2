import type { Edit } from '../edit/index.ts';
import { quoteName, quotePath } from '../formula/index.ts';
import type { Measure, Model, Table } from '../model/index.ts';
import { freeName, nameWords } from '../model/index.ts';
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

type Column = Table['columns'][number];

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
/** A name as people write it: its words apart, the first with a capital. */
const title = (name: string): string =>
  nameWords(name)
    .join(' ')
    .replace(/^./, (c) => c.toUpperCase());
const lower = (name: string): string => nameWords(name).join(' ');

/** What an aggregate does, before the name of what it is taken of; nothing where the name says it. */
const SAID: Readonly<Record<keyof typeof FORMULAS, (name: string) => string>> = {
  sum: (name) => (/^total\b|\btotal$/i.test(lower(name)) ? title(name) : `Total ${lower(name)}`),
  avg: (name) => (/^(avg|average|mean)\b/i.test(lower(name)) ? title(name) : `Average ${lower(name)}`),
  min: (name) => `Least ${lower(name)}`,
  max: (name) => `Greatest ${lower(name)}`,
  count: (name) => `Number of ${lower(name)}`,
  distinct: (name) => `Distinct ${lower(name)}`,
};
/** Averages are shown with so many decimals; sums with those of their column. */
const AVERAGE_DECIMALS = 2;

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
      format: { thousands: true },
    },
    ...fact.columns.flatMap((c) =>
      c.use === 'quantity' && c.aggregate !== 'none'
        ? [
            {
              column: c.name,
              name: SAID[aggregateOf(c)](c.name),
              formula: formulaOf(fact, c),
              why: `${c.name} is a quantity`,
              format: formatOf(c),
            },
          ]
        : [],
    ),
  ];
  return wanted
    .filter((w) => !known.has(plain(w.formula)) && !isMended(fact, w.formula, known))
    .map(({ column, name, formula, why, format }) => {
      const after = `${name} of ${lower(fact.name)}`;
      const free =
        [name, after].find((n) => !taken.has(n.toLowerCase())) ??
        freeName(
          after,
          [...taken].map((n) => ({ name: n })),
        );
      taken.add(free.toLowerCase());
      return {
        column,
        measure: { name: free, table: fact.name, formula, format },
        why,
        ...(free === name ? {} : { clash: name }),
      };
    });
}

const aggregateOf = ({ aggregate = 'sum' }: Column): keyof typeof FORMULAS =>
  aggregate === 'none' ? 'sum' : aggregate;

/** How a measure of a column is shown: thousands apart, with the column's unit. */
function formatOf(column: Column): NonNullable<Measure['format']> {
  const { unit } = column.format ?? {};
  return {
    thousands: true,
    ...(aggregateOf(column) === 'avg' ? { decimals: AVERAGE_DECIMALS } : {}),
    ...(unit === undefined ? {} : { unit }),
  };
}

/** A column's default aggregate; what a snapshot counts is not added up over time. */
function formulaOf(fact: Table, column: Column): string {
  const aggregate = aggregateOf(column);
  const formula = FORMULAS[aggregate](quotePath(fact.name, column.name));
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

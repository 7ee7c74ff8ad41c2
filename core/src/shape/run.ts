import { nearestName, parseType, TEXT } from '../values/index.ts';
import type { TableData } from '../columns/index.ts';
import { columnOfValues, columnValues, renamed, tableOf } from '../columns/index.ts';
import type { Step, Table, UnfinishedStep } from '../model/index.ts';
import { argumentOf, STEP_ARGUMENTS } from '../model/index.ts';
import { converter } from '../formula/index.ts';
import { DataError } from '../query/index.ts';
import type { StepSetting } from './step.ts';
import { STEP_KINDS } from './steps/index.ts';

/**
 * Runs the steps of a derived table: `from` first, then one verb each. Every state can be had, so that a step
 * which multiplies or loses rows is seen where it stands. Throws DataError with the step's place.
 */
export function runSteps(table: Table, steps: readonly Step[], setting: StepSetting): TableData[] {
  const [first, ...rest] = steps;
  const states = [firstState(table, first, setting)];
  rest.forEach((step, i) => states.push(runStep(table.name, i + 2, step, states.at(-1)!, setting)));
  return states;
}

/** The rows that the steps begin with. */
export function firstState(table: Table, first: Step | undefined, setting: StepSetting): TableData {
  const from = first && argumentOf(first, 'from');
  if (from === undefined) throw new DataError(`the steps of ${table.name} begin with { "from": "table" }`);
  return setting.table(from);
}

/** The rows after one step. Throws DataError with its place. */
export function runStep(
  table: string,
  place: number,
  step: Step,
  input: TableData,
  setting: StepSetting,
): TableData {
  const verbs = Object.keys(step);
  const where = `step ${place} of ${table}`;
  // Tables come in by the first step, and by what joins or adds others.
  const kinds = STEP_KINDS.filter((k) => k.verb !== 'from');
  const kind = kinds.find((k) => k.verb === verbs[0]);
  if (verbs.length !== 1 || !kind) {
    const near =
      verbs[0] === undefined
        ? undefined
        : nearestName(
            verbs[0],
            kinds.map((k) => k.verb),
          );
    throw new DataError(
      `${where}: one verb is expected of ${kinds.map((k) => k.verb).join(', ')}, not ${verbs.join(', ') || 'none'}${near ? `; did you mean ${near}?` : ''}`,
    );
  }
  const parsed = STEP_ARGUMENTS[kind.verb].safeParse((step as UnfinishedStep)[kind.verb]);
  if (!parsed.success)
    throw new DataError(
      `${where}: ${kind.verb}: ${parsed.error.issues.map((issue) => `${issue.path.join('.')} ${issue.message}`.trim()).join('; ')}`,
    );
  try {
    return kind.apply(input, parsed.data, setting);
  } catch (error) {
    if (error instanceof DataError) throw new DataError(`${where}: ${error.message}`, error.reason);
    throw error;
  }
}

/**
 * The rows of a derived table: the last state, its columns brought to the names and types that the model
 * declares.
 */
export function derivedRows(table: Table, steps: readonly Step[], setting: StepSetting): TableData {
  const last = runSteps(table, steps, setting).at(-1)!;
  const columns = table.columns
    .filter((c) => c.formula === undefined)
    .map((c) => {
      const wanted = c.sourceName ?? c.name;
      const found = last.columns.get(wanted.toLowerCase());
      if (!found)
        throw new DataError(
          `the steps of ${table.name} give no column "${wanted}": they give ${[...last.columns.values()].map((x) => x.name).join(', ')}`,
        );
      const type = parseType(c.type) ?? TEXT;
      if (JSON.stringify(type) === JSON.stringify(found.type)) return renamed(found, c.name);
      const convert = converter(found.type, type);
      const values = columnValues(found).map((value) => (value === null ? null : convert(value)));
      return columnOfValues(
        c.name,
        type,
        Array.from(found.codes, (code) => values[code]!),
      );
    });
  return tableOf(table.name, columns, {
    rowCount: last.rowCount,
    ...(last.lineOf ? { lineOf: last.lineOf } : {}),
  });
}

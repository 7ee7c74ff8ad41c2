import { renameInFormula } from '../formula/index.ts';
import type { Model, Step, Table } from '../model/index.ts';
import { argumentOf, sameName } from '../model/index.ts';
import { readTables } from './origins.ts';
import type { ReadTables, StepRenaming } from './step.ts';
import { StepRefusal } from './step.ts';
import { readStep } from './steps/index.ts';

/** What gets another name: a table, or a column of one. */
export interface RenamedColumn {
  readonly table: string;
  readonly column?: string | undefined;
}

/** The steps of a table by the new names. */
export interface RenamedSteps {
  readonly steps: readonly Step[];
  /** Whether the renamed column comes out of the last step under its new name. */
  readonly isRenamed: boolean;
}

/**
 * The steps of a table with another name for a table or a column that they read, through the steps as far as
 * the column goes. They give the same rows as before, in columns of the same names but for the renamed one.
 * Throws StepRefusal, with the step's place, where that cannot be.
 */
export function renameInSteps(
  model: Model,
  table: Table,
  steps: readonly Step[],
  thing: RenamedColumn,
  to: string,
): RenamedSteps {
  const tables = readTables(model);
  const base = (steps[0] && argumentOf(steps[0], 'from')) ?? '';
  let isRenamed = false;
  const renamed = steps.map((step, i) => {
    const names = renaming(thing, to, {
      tables,
      base,
      isRenamed,
      stood: (name) => stands(steps.slice(0, i), name, tables),
    });
    try {
      const made = renamedStep(step, names);
      isRenamed = made.isRenamed;
      if (isRenamed && i > 0 && stands(steps.slice(0, i + 1), to, tables))
        throw new StepRefusal(`there is a column "${to}" already: choose another name`);
      return made.step;
    } catch (error) {
      if (!(error instanceof StepRefusal)) throw error;
      throw new StepRefusal(`step ${i + 1} of ${table.name}: ${error.message}`);
    }
  });
  return { steps: renamed, isRenamed };
}

interface Standing {
  readonly tables: ReadTables;
  /** The table that the steps begin with: formulas may name it before a column. */
  readonly base: string;
  readonly isRenamed: boolean;
  readonly stood: (name: string) => boolean;
}

function renaming(thing: RenamedColumn, to: string, standing: Standing): StepRenaming {
  const { tables, base, isRenamed, stood } = standing;
  const { table, column: old } = thing;
  return {
    tables,
    renamedTable: table,
    old,
    isRenamed,
    stood,
    table: (name) => (old === undefined && sameName(name, table) ? to : name),
    column: (of, name) => (old !== undefined && sameName(of, table) && sameName(name, old) ? to : name),
    own: (name) => (isRenamed && old !== undefined && sameName(name, old) ? to : name),
    formula: (source) => {
      if (old === undefined) return sameName(base, table) ? renameInFormula(source, { table }, to) : source;
      return isRenamed ? renameInFormula(source, { table: base, column: old }, to, base) : source;
    },
    inner: (step) => renamedStep(step, renaming(thing, to, standing)).step,
  };
}

function renamedStep(step: Step, names: StepRenaming): { step: Step; isRenamed: boolean } {
  const read = readStep(step);
  if (!read) {
    if (!mentions(step, names.old ?? names.renamedTable)) return { step, isRenamed: names.isRenamed };
    throw new StepRefusal(
      `it names ${names.old ?? names.renamedTable}, and is not complete: complete it or delete it first`,
    );
  }
  const { kind, argument } = read;
  const made = kind.rename?.(argument, names);
  return {
    step: made ? { [kind.verb]: made.argument } : step,
    isRenamed: made?.isRenamed ?? names.isRenamed,
  };
}

/** Whether a text within a step that cannot be read holds a name as a word. */
const mentions = (step: unknown, name: string): boolean =>
  typeof step === 'string'
    ? step
        .toLowerCase()
        .split(/[^\p{L}\p{N}_$]+/u)
        .includes(name.toLowerCase()) || sameName(step, name)
    : typeof step === 'object' && step !== null && Object.values(step).some((part) => mentions(part, name));

/**
 * Whether a column of this name stands after the steps; of columns that a step leaves out it says that they
 * stand.
 */
function stands(steps: readonly Step[], name: string, tables: ReadTables): boolean {
  for (const [i, step] of [...steps.entries()].reverse()) {
    const read = readStep(step);
    const origin = read?.kind.origin?.(read.argument, name, tables);
    if (!origin) continue;
    const { from, names = [] } = origin;
    // What is made by the step alone stands; what comes from a table or from before it, where that has it.
    if (!from || from.some(({ column }) => column !== undefined)) return true;
    return names.some((before) => stands(steps.slice(0, i), before, tables));
  }
  return false;
}

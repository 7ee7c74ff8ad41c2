import { parseType, TEXT } from '../../values/index.ts';
import type { Measure } from '../../model/index.ts';
import { familyMeasures } from '../../model/index.ts';
import type { CheckedFormula, FormulaChecker } from '../../formula/index.ts';
import { placeOf } from '../../formula/index.ts';
import type { ClaimKind, Judgement } from '../claim.ts';
import { claimOf, holds, restsOn } from '../claim.ts';

export const formulaValid: ClaimKind = {
  kind: 'formula-valid',
  weight: 'blocks',
  subject: 'measure, or table.column',
  example:
    '`formula-valid:Fine per loan`: the formula of “Fine per loan” can be evaluated; a column that is not there breaks it.',
  documentation: 'A formula does not parse, names something unknown, mixes types, or is circular.',
  list: ({ model }) => [
    ...[...(model.measures ?? []), ...familyMeasures(model)].map((m) =>
      claimOf(formulaValid, m.name, `the formula of ${m.name} can be evaluated`, {
        ref: { measure: m.name },
        about: [{ measure: m.name }],
        found: () => `the formula of ${m.name} cannot be evaluated`,
        // Of two measures with one name each is judged by its own formula.
        judge: (data) =>
          judgeMeasure(
            data.checker,
            m,
            data.checker.names.measure(m.name)?.formula === m.formula
              ? data.checker.measure(m.name)!
              : data.checker.measureFormula(m.formula, m.name, m.via),
          ),
      }),
    ),
    ...model.tables.flatMap((t) =>
      t.columns
        .filter((c) => c.formula !== undefined)
        .map((c) =>
          claimOf(
            formulaValid,
            `${t.name}.${c.name}`,
            `the formula of ${t.name}.${c.name} can be evaluated`,
            {
              ref: { table: t.name, column: c.name },
              found: () => `the formula of ${t.name}.${c.name} cannot be evaluated`,
              about: [{ table: t.name, column: c.name }],
              judge: (data) =>
                judgeFormula(
                  data.checker.column(data.modelTable(t.name), c.name, c.formula!, parseType(c.type) ?? TEXT),
                  circularColumn(data.checker, t.name, c.name),
                ),
            },
          ),
        ),
    ),
  ],
};

function judgeMeasure(checker: FormulaChecker, { name, goal }: Measure, checked: CheckedFormula): Judgement {
  const judged = judgeFormula(checked, measureCircle(checker, name));
  if (judged.verdict !== 'holds' || goal?.measure === undefined) return judged;
  if (!checker.names.measure(goal.measure))
    return {
      verdict: 'broken',
      evidence: { checked: 1, against: 1, notes: [`its goal "${goal.measure}" is no measure of the model`] },
    };
  return checker.measure(goal.measure)?.typed ? judged : restsOn(`formula-valid:${goal.measure}`);
}

function judgeFormula(checked: CheckedFormula, circle: readonly string[] | undefined): Judgement {
  if (circle && checked.faults.length === 0)
    return {
      verdict: 'broken',
      evidence: { checked: 1, against: 1, notes: [`it is defined by itself: ${circle.join(' → ')}`] },
    };
  if (checked.faults.length > 0) {
    const notes = checked.faults.map((fault) => {
      const { line, column } = placeOf(checked.source, fault.start);
      return `line ${line}, column ${column}: ${fault.message}`;
    });
    return { verdict: 'broken', evidence: { checked: 1, against: checked.faults.length, notes } };
  }
  return checked.restsOn.length > 0 ? restsOn(`formula-valid:${checked.restsOn[0]}`) : holds(1);
}

/** The way from a measure back to itself, where there is one. */
function measureCircle(checker: FormulaChecker, name: string): string[] | undefined {
  return circleFrom(name.toLowerCase(), (at) =>
    (checker.measure(at)?.measures ?? []).map((m) => m.toLowerCase()),
  );
}

function circularColumn(checker: FormulaChecker, table: string, column: string): string[] | undefined {
  return circleFrom(`${table}.${column}`.toLowerCase(), (at) => {
    const found = checker.names.path(at);
    if (found?.column.formula === undefined) return [];
    return checker
      .column(found.table, found.column.name, found.column.formula, parseType(found.column.type) ?? TEXT)
      .columns.map((c) => `${c.table}.${c.column}`.toLowerCase());
  });
}

function circleFrom(start: string, next: (at: string) => readonly string[]): string[] | undefined {
  const seen = new Set<string>();
  const walk = (at: string, way: readonly string[]): string[] | undefined => {
    for (const other of next(at)) {
      if (other === start) return [...way, other];
      if (seen.has(other)) continue;
      seen.add(other);
      const found = walk(other, [...way, other]);
      if (found) return found;
    }
    return undefined;
  };
  return walk(start, [start]);
}

import type { Model } from '../../model/index.ts';
import {
  aggregateNamed,
  FormulaChecker,
  functionNamed,
  otherwiseNamed,
  PLAIN_OTHER_NAMES,
} from '../index.ts';

const model: Model = {
  crease: 1,
  name: 'small',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      columns: [
        { name: 'fine', type: 'integer' },
        { name: 'note', type: 'text' },
      ],
    },
  ],
};
const checker = new FormulaChecker(model);
const faultsOf = (formula: string) => checker.measureFormula(formula).faults.map((f) => f.message);

test('what a function is called elsewhere leads to its name here', () => {
  expect(faultsOf('average(loan.fine)')).toEqual(['no function "average": write avg']);
  expect(faultsOf('sum(len(loan.note))')).toEqual(['no function "len": write char_length']);
  expect(faultsOf('summ(loan.fine)')).toEqual(['no function "summ": did you mean "sum"?']);
  expect(faultsOf('toString(loan.fine)')).toEqual(['no function "toString"']);
});

test('each other name is none of a function here, and leads to one that is', () => {
  expect(PLAIN_OTHER_NAMES.length).toBeGreaterThan(10);
  for (const [other, here] of PLAIN_OTHER_NAMES) {
    expect([other, functionNamed(other) ?? aggregateNamed(other)]).toEqual([other, undefined]);
    expect([here, (functionNamed(here) ?? aggregateNamed(here))?.name]).toEqual([here, here]);
    expect(otherwiseNamed(other.toUpperCase())).toBe(here);
  }
});

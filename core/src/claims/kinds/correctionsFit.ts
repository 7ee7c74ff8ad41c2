import type { Corrections, Model } from '../../model/index.ts';
import type { CorrectedColumn } from '../../corrections/index.ts';
import { correctedColumn } from '../../corrections/index.ts';
import { toJson } from '../../values/index.ts';
import type { TableData } from '../../columns/index.ts';
import { columnOf } from '../../columns/index.ts';
import type { Claim, ClaimKind, Judgement, SampleRow } from '../claim.ts';
import { claimOf, judged, unchecked, SAMPLE_SIZE } from '../claim.ts';
import { ofTable } from './common.ts';

export const correctionsFit: ClaimKind = {
  kind: 'corrections-fit',
  weight: 'warns',
  subject: 'table.column',
  documentation:
    'A correction changes nothing: its key has no row or several, its value cannot be read, or the column cannot be corrected (with line numbers).',
  example:
    '`corrections-fit:loan.fine`: every correction of `loan.fine` is of one loan; one of a `receipt_no` that is not there breaks it.',
  list: ({ model }) => (model.corrections ?? []).map((corrections) => claimOfList(model, corrections)),
};

function claimOfList(model: Model, corrections: Corrections): Claim {
  const of = correctedColumn(model, corrections.of);
  const says = `every correction of ${corrections.of} is of one row`;
  const parts = [corrections.of, corrections.source.file];
  if ('refusal' in of)
    return claimOf(correctionsFit, corrections.of, says, {
      ref: {},
      about: [],
      parts: [...parts, of.refusal],
      judge: () => judged({ checked: 1, against: 1, notes: [of.refusal] }),
      found: () => of.refusal,
    });
  const { table, column } = of;
  return claimOf(correctionsFit, `${table.name}.${column.name}`, says, {
    ref: { table: table.name, column: column.name },
    about: [{ table: table.name, column: column.name }],
    tables: [table.name],
    columns: ofTable(table.name, [column.name, ...table.key!]),
    parts,
    judge: (data) => judgeList(of, data.table(table.name)),
    found: ({ against, checked }) =>
      `${against} of ${checked} ${checked === 1 ? 'correction' : 'corrections'} of ${corrections.of} change${against === 1 ? 's' : ''} nothing`,
  });
}

function judgeList({ table, column }: CorrectedColumn, rows: TableData): Judgement {
  const made = rows.corrected?.get(column.name.toLowerCase());
  if (!made)
    return unchecked(`the corrections of ${table.name}.${column.name} have not been read yet: import them`, {
      code: 'not-loaded',
    });
  const key = table.key!.map((name) => columnOf(rows, name));
  const sample = made.unfit.slice(0, SAMPLE_SIZE).map(({ key: values, line, why }): SampleRow => ({
    values: {
      ...Object.fromEntries(key.map((k, i) => [k.name, toJson(values[i]!, k.type)])),
      why,
    },
    rows: 1,
    lines: [line],
  }));
  return judged({
    checked: made.entered,
    against: made.unfit.length,
    distinct: made.unfit.length,
    ...(sample.length > 0 ? { sample } : {}),
  });
}

import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { judgeModel } from '@crease/core/claims';
import type { Model } from '@crease/core/model';
import { readModel, writeModel } from '@crease/core/model';
import { openFolder } from '../src/files.ts';
import type { ReleaseOrder } from '../src/release.ts';

/** Lines of loans: texts with quotes and breaks, nulls, other letters. */
export const LOANS = [
  `1,N,2025-03-01,1.00,0.1,true,"it""s"`,
  `2,S,2025-04-01,2.50,0.2,false,`,
  `3,N,2026-03-01,,10.5,,ünï`,
  `4,S,2026-05-01,9.99,,true,"a,b
c"`,
];
export const MODEL: Model = {
  crease: 1,
  name: 'library',
  asOf: '2026-06-30',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      source: { file: 'loan.csv' },
      key: ['no'],
      partition: { by: 'lent_on', every: 'year' },
      columns: [
        { name: 'no', type: 'integer', use: 'key' },
        { name: 'branch', type: 'text', use: 'reference' },
        { name: 'lent_on', type: 'date' },
        { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
        { name: 'weight', type: 'double', use: 'quantity' },
        { name: 'late', type: 'boolean' },
        { name: 'the "note"', type: 'text', sourceName: 'note' },
        { name: 'dear', type: 'boolean', formula: 'fine > 2' },
      ],
    },
    {
      name: 'branch',
      title: 'Branches',
      role: 'dimension',
      source: { file: 'branch.csv' },
      key: ['code'],
      columns: [
        { name: 'code', type: 'text', use: 'key' },
        { name: 'name', type: 'text', title: 'Branch name' },
        { name: 'secret', type: 'text', hidden: true },
      ],
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch'] },
      to: { table: 'branch', columns: ['code'] },
    },
  ],
  measures: [
    { name: 'Loans', formula: 'count(loan)', title: 'Number of loans' },
    { name: 'Fines', formula: 'sum(loan.fine)' },
    { name: 'Weight', formula: 'avg(loan.weight)' },
  ],
  trials: [
    {
      name: "North's",
      query: {
        by: ['branch.name'],
        measures: ['Loans'],
        filters: [{ column: 'branch.name', in: ["Nor'th"] }],
      },
    },
  ],
  perspectives: [
    {
      name: 'Desk',
      tables: ['branch', { table: 'loan', title: 'Lending' }],
      measures: ['Loans'],
      trials: ["North's"],
    },
  ],
};

export type OrderChange = Partial<ReleaseOrder> & { loans?: string[]; model?: Model };

/** A release of the model on rows, as a pipeline would make it. */
export async function libraryOrder(folder: string, change: OrderChange): Promise<ReleaseOrder> {
  const { loans = LOANS, model = MODEL, ...rest } = change;
  writeFileSync(join(folder, 'loan.csv'), `no,branch,lent_on,fine,weight,late,note\n${loans.join('\n')}\n`);
  writeFileSync(join(folder, 'branch.csv'), `code,name,secret\nN,Nor'th,x\nS,South,y\n`);
  const data = await openFolder(readModel(writeModel(model)), folder, 20_634);
  return {
    data,
    claims: judgeModel(model, data, '2026-06-30'),
    document: writeModel(model),
    revision: 7,
    author: 'Ida',
    now: new Date('2026-06-30T10:00:00Z'),
    definitionsOnly: false,
    parts: [],
    tell: () => undefined,
    ...rest,
  };
}

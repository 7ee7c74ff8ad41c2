import { designedColumns } from './designedColumns.ts';

test('columns are typed one a line, or pasted from a spreadsheet with headings', () => {
  const typed = designedColumns(
    'loan_no integer key\nbranch_code, text(8), reference\nfine decimal(9,2)\nlate boolean attribute "whether it came back late"\n\nremark\n',
  );
  expect(typed).toEqual({
    faults: [],
    columns: [
      { name: 'loan_no', type: 'integer', use: 'key' },
      { name: 'branch_code', type: 'text', length: 8, use: 'reference' },
      { name: 'fine', type: 'decimal(9,2)', use: 'quantity' },
      { name: 'late', type: 'boolean', use: 'attribute', description: 'whether it came back late' },
      { name: 'remark', type: 'text', use: 'attribute' },
    ],
  });
  expect(
    designedColumns('Column\tType\tUse\nopened on\tdate\tattribute\tfirst day, of all\nplace\tvarchar(40)')
      .columns,
  ).toEqual([
    { name: 'opened on', type: 'date', use: 'attribute', description: 'first day, of all' },
    { name: 'place', type: 'text', length: 40, use: 'attribute' },
  ]);
});

test('what is wrong is named with its line', () => {
  expect(designedColumns('a integer\nb colour\nA text').faults).toEqual([
    'line 2: "colour" is no type',
    'line 3: a second column A',
  ]);
  expect(designedColumns('   \n').columns).toEqual([]);
});

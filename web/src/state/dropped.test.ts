import { apart } from './dropped.ts';

const found = (path: string) => {
  const parts = path.split('/');
  return { file: new File(['x'], parts.at(-1)!), folders: parts.slice(0, -1) };
};
const names = (...paths: string[]) => apart(paths.map(found)).map((f) => f.name);

test('files of one name in several folders are told apart by their folder, others keep their names', () => {
  expect(names('a/2024/loan.csv', 'a/2025/loan.csv', 'a/branch.csv')).toEqual([
    '2024_loan.csv',
    '2025_loan.csv',
    'branch.csv',
  ]);
});

test('of folders only files of tables are taken; what was chosen itself is taken in any case', () => {
  expect(names('a/readme.md', 'a/loan.csv.gz', 'a/design.sql', 'odd.dat')).toEqual([
    'loan.csv.gz',
    'design.sql',
    'odd.dat',
  ]);
});

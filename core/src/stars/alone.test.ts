import type { Model, Relationship, Table } from '../model/index.ts';
import { tablesInNoStar } from './index.ts';

const table = (name: string, role: Table['role'], rest: Partial<Table> = {}): Table => ({
  name,
  role,
  columns: [{ name: 'id', type: 'integer' }],
  ...rest,
});
const link = (from: string, to: string, rest: Partial<Relationship> = {}): Relationship => ({
  name: `${from}_${to}`,
  from: { table: from, columns: ['id'] },
  to: { table: to, columns: ['id'] },
  ...rest,
});
const alone = (tables: Table[], relationships: Relationship[]) =>
  tablesInNoStar({ crease: 1, name: 'm', tables, relationships } as Model).map((t) => t.name);

describe('tables in no star', () => {
  test('are facts that refer to nothing, and dimensions to which no fact leads', () => {
    const tables = [
      table('loan', 'fact'),
      table('visit', 'fact'),
      table('branch', 'dimension'),
      table('district', 'dimension'),
      table('topic', 'dimension'),
    ];
    expect(alone(tables, [link('loan', 'branch'), link('BRANCH', 'district')])).toEqual(['visit', 'topic']);
  });
  test('what a bridge leads to is in the star, and what only is not by default', () => {
    const tables = [
      table('loan', 'fact'),
      table('title', 'dimension'),
      table('authorship', 'bridge'),
      table('author', 'dimension'),
      table('calendar', 'dimension'),
    ];
    const links = [
      link('loan', 'title'),
      link('authorship', 'title'),
      link('authorship', 'author'),
      link('loan', 'calendar', { default: false }),
    ];
    expect(alone(tables, links)).toEqual([]);
  });
  test('staging tables are not, where another is derived of them', () => {
    const tables = [
      table('loan', 'fact', { source: { steps: [{ from: 'loan_rows' }] } }),
      table('loan_rows', 'staging'),
      table('notes', 'staging'),
      table('branch', 'dimension'),
    ];
    expect(alone(tables, [link('loan', 'branch')])).toEqual(['notes']);
  });
  test('a loop ends, and a model of one table has none', () => {
    const tables = [table('a', 'fact'), table('b', 'fact')];
    expect(alone(tables, [link('a', 'b'), link('b', 'a'), link('a', 'a')])).toEqual([]);
    expect(alone([table('a', 'fact')], [])).toEqual([]);
  });
});

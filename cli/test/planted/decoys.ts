import type { World } from './world.ts';

/** What looks wrong and is right: nothing may be broken for its sake. `touches` as of flaws. */
export interface Decoy {
  readonly name: string;
  readonly touches: readonly string[];
  plant(world: World): void;
}

const decoy = (name: string, touches: readonly string[], plant: (w: World) => void): Decoy => ({
  name,
  touches,
  plant,
});

export const DECOYS: readonly Decoy[] = [
  decoy('keys that differ by case alone', ['author', 'title author'], (w) => {
    w.rows('author').push({ 'author code': 'a-1', 'full name': 'Author of small letters' });
  }),
  decoy('keys that differ by a blank behind', ['author', 'title author'], (w) => {
    w.rows('author').push({ 'author code': 'A-1 ', 'full name': 'Author with a blank' });
  }),
  decoy('labels that differ by case', ['branch'], (w) => {
    w.rows('branch')[3]!.name = 'BRANCH 4';
  }),
  decoy('a version of one day', ['card'], (w) => {
    const rows = w.rows('card');
    const last = rows.findLast((row) => row['valid to'] === null && row['valid from']! > '2025-01-10')!;
    const id = String(9001 + rows.length);
    rows.push(
      { ...last, 'card version id': id, 'valid from': '2025-12-31', 'valid to': '2025-12-31' },
      {
        ...last,
        'card version id': `${id}0`,
        'valid from': '2026-01-01',
      },
    );
    last['valid to'] = '2025-12-30';
  }),
  decoy(
    'numbers with zeros in front that are told apart without',
    ['loan title', 'title', 'title author'],
    (w) => {
      for (const row of w.rows('title')) row['title no'] = row['title no']!.padStart(8, '0');
    },
  ),
  decoy('a count of codes', ['no quantity'], (w) => {
    w.addColumn('visit', ['codes read', 'integer', 'quantity'], (_, i) => String(i % 40));
  }),
  decoy('amounts that all have five digits', ['no quantity'], (w) => {
    w.addColumn('visit', ['steps', 'integer', 'quantity'], () => String(w.random.between(10_000, 99_999)));
  }),
  decoy('amounts below one, with a zero in front', ['no quantity'], (w) => {
    w.addColumn('visit', ['hours', 'decimal(5,2)', 'quantity'], () => `0.${w.random.between(10, 99)}`);
  }),
  decoy('a snapshot at its last and first days', ['snapshot decoy'], (w) => {
    w.measure(
      'Shelves then',
      `sum(${w.f('shelf count.on shelf')}) at first ${w.f('shelf count.counted on')}`,
    );
    w.measure(
      'Shelves by the calendar',
      `sum(${w.f('shelf count.on shelf')}) at last ${w.f('calendar.day')}`,
    );
    w.measure('Shelves by the month', `sum(${w.f('shelf count.on shelf')}) at last ${w.f('calendar.month')}`);
    w.measure(
      'Shelves of each branch',
      `sum(${w.f('shelf count.on shelf')}) at last ${w.f('shelf count.counted on')} per ${w.f('shelf count.branch code')}`,
    );
    w.measure('Shelves, doubled', '2 * "On shelf at the end"');
    w.measure('Shelves on average', `avg(${w.f('shelf count.on shelf')})`);
  }),
  decoy('facts beside each other with nothing missing', ['side decoy'], (w) => {
    w.measure('Both', 'coalesce("Granted", 0) + coalesce("Visitors", 0)');
    w.measure('Granted per loan', '"Granted" / "Loans"');
    w.measure('Within one fact', `"Fines" - sum(${w.f('loan line.renewals')})`);
    w.measure('Rows of both', `count(${w.q('loan line')}) + count(${w.q('visit')})`);
  }),
  decoy('words that are not null', ['branch'], (w) => {
    w.rows('branch')
      .slice(0, 4)
      .forEach((row, i) => (row.note = ['NULL', 'NaN', 'none', '-'][i]!));
  }),
  decoy('a reference of another numeric type', ['loan staff'], (w) => {
    w.column('loan line.staff no').type = 'decimal(12,0)';
  }),
  decoy('columns of the file that the model leaves alone', ['file'], (w) => {
    const columns = w.columnsOf.get('region')!;
    columns.splice(1, 0, 'left alone');
    w.rows('region').forEach((row, i) => (row['left alone'] = `x${i}`));
  }),
  decoy('one name in two levels', ['branch'], (w) => {
    w.rows('branch')[0]!.town = 'County 0';
    w.rows('branch')[12]!.town = 'County 0';
  }),
  decoy('an answer within its tolerance', ['known answer'], (w) => {
    const of = w.knownAnswers[0]!;
    of.rows[0]![0] = (Number(of.rows[0]![0]) + 0.25).toFixed(2);
    of.tolerance = 0.5;
  }),
  decoy('a second way that is not default', ['paths'], (w) => {
    w.addColumn('loan line', ['return branch', 'text', 'reference'], () => w.row('branch')['branch code']!);
    w.relate('loan_return_branch', 'loan line.return branch', 'branch.branch code', { default: false });
  }),
  decoy('a parent that is empty', ['staff'], (w) => {
    w.rows('staff')[5]!['manager no'] = null;
  }),
  decoy('many to many that is said', ['paths', 'budget'], (w) => {
    w.relate('budget_to_plan', 'budget.district code', 'branch.district code', {
      cardinality: 'many-to-many',
      default: false,
    });
  }),
];

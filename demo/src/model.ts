import type { Model, ModelColumn, Relationship, Table } from '@crease/core/model';

type Use = NonNullable<ModelColumn['use']>;

/** A column written short: name, type, use. */
const column = (name: string, type: string, use: Use = 'attribute', rest: Partial<ModelColumn> = {}): ModelColumn => ({ name, type, ...(type === 'date' ? { pattern: 'yyyy-MM-dd' } : {}), use, ...rest });
const key = (name: string, type = 'integer') => column(name, type, 'key');
const reference = (name: string, type = 'integer') => column(name, type, 'reference');
const amount = (name: string, type = 'integer', aggregate: ModelColumn['aggregate'] = 'sum') => column(name, type, 'quantity', { aggregate });

const table = (name: string, title: string, role: Table['role'], grain: string, keys: string[], columns: ModelColumn[], rest: Partial<Table> = {}): Table => ({
  name, title, role, source: { file: `${name}.csv` }, grain, key: keys, ...rest, columns,
});

const relate = (from: string, column: string, to: string, toColumn = column, rest: Partial<Relationship> = {}): Relationship => ({
  name: `${from}_${to}`, from: { table: from, columns: [column] }, to: { table: to, columns: [toColumn] }, cardinality: 'many-to-one', ...rest,
});

/**
 * The model of the consortium's data as somebody left it on a Friday: sound for the most part, with the planted
 * mistakes that people really make.
 */
export const demoModel = (): Model => ({
  crease: 1,
  name: 'lantern-valley',
  title: 'Lantern Valley libraries',
  description: 'Loans, stock, holds, budgets and programme visits of a made-up consortium of public libraries.',
  asOf: '2026-06-30',
  tables: [
    table('loan_export', 'Loans', 'fact', 'one line of a loan receipt', ['receipt_no', 'line_no'], [
      key('receipt_no', 'text'), key('line_no'), column('terminal', 'text'), reference('branch_code', 'text'),
      column('card_no', 'integer', 'quantity', { aggregate: 'sum' }), reference('barcode'),
      column('lent_at', 'text'), reference('loan_date', 'date'), column('due_date', 'date'), reference('return_date', 'date'),
      amount('renewals'), amount('fine', 'decimal(9,2)'), column('fine_waived', 'boolean'),
      column('late', 'boolean', 'attribute', { formula: 'return_date > due_date' }),
      column('days_out', 'integer', 'quantity', { formula: 'date_diff(loan_date, return_date, day)', aggregate: 'avg' }),
    ], { process: 'Lending', partition: { by: 'loan_date', every: 'year' } }),
    table('hold', 'Holds', 'fact', 'one reservation of a title', ['hold_no'], [
      key('hold_no'), reference('title_id'), reference('card_no'), reference('branch_code', 'text'),
      reference('placed_on', 'date'), reference('filled_on', 'date'), column('cancelled_on', 'date'),
    ], { process: 'Reserving' }),
    table('stock_count', 'Stock counts', 'fact', 'one title in one branch at the end of one month', ['counted_on', 'branch_code', 'title_id'], [
      reference('counted_on', 'date'), reference('branch_code', 'text'), reference('title_id'), amount('on_shelf'), amount('out'), amount('missing'),
    ], { process: 'Stock taking', snapshot: 'counted_on' }),
    table('budget', 'Acquisition budget', 'fact', 'one branch in one quarter', ['budget_no'], [key('budget_no'), reference('branch_code', 'text'), reference('quarter', 'text'), amount('amount', 'decimal(12,2)')], { process: 'Budgeting' }),
    table('programme_visit', 'Programme visits', 'fact', 'one event of a programme in one branch', ['visit_no'], [key('visit_no'), reference('branch_code', 'text'), reference('held_on', 'date'), column('programme', 'text'), amount('attendance')], { process: 'Programmes' }),
    table('calendar', 'Calendar', 'dimension', 'one day', ['day'], [
      key('day', 'date'), column('year', 'integer'), column('quarter', 'integer'), column('year_quarter', 'text'), column('month', 'integer'), column('month_name', 'text'),
      column('year_month', 'text'), column('day_of_week', 'integer'), column('weekend', 'boolean'), column('fiscal_year', 'integer'),
    ]),
    table('branch', 'Branches', 'dimension', 'one branch', ['branch_code'], [
      key('branch_code', 'text'), column('name', 'text'), column('town', 'text'), reference('district_code', 'text'), column('opened_on', 'date'), amount('floor_area', 'decimal(9,2)'),
    ], { label: 'name' }),
    table('district', 'Districts', 'dimension', 'one district', ['district_code'], [key('district_code', 'text'), column('name', 'text'), column('region', 'text')], { label: 'name' }),
    table('card', 'Cards', 'dimension', 'one patron card', ['card_no'], [key('card_no'), column('category', 'text'), column('birth_year', 'integer'), reference('district_code', 'text'), column('issued_on', 'date')]),
    table('card_version', 'Card categories over time', 'dimension', 'one category of one card for a stretch of time', ['version_id'], [
      key('version_id'), column('card_no', 'integer'), column('category', 'text'), column('valid_from', 'date'), column('valid_to', 'date'),
    ], { validity: { of: ['card_no'], from: 'valid_from', to: 'valid_to' } }),
    table('copy', 'Copies', 'dimension', 'one copy of a title', ['barcode'], [
      key('barcode'), reference('title_id'), reference('branch_code', 'text'), column('shelf_mark', 'text'), amount('price', 'decimal(7,2)', 'avg'), column('acquired_on', 'date'),
    ]),
    table('title', 'Titles', 'dimension', 'one title', ['title_id'], [
      key('title_id'), column('name', 'text'), reference('subject_code', 'text'), column('class', 'text'), column('pages', 'integer'), column('published', 'integer'),
      column('newest_price', 'decimal(7,2)', 'attribute', { formula: 'latest(price_list.price by price_list.valid_from)' }),
    ]),
    table('subject', 'Subjects', 'dimension', 'one subject', ['subject_code'], [key('subject_code', 'text'), column('name', 'text'), reference('area_code', 'text')], { label: 'name' }),
    table('subject_area', 'Subject areas', 'dimension', 'one subject area', ['area_code'], [key('area_code', 'text'), column('name', 'text')], { label: 'name' }),
    table('author', 'Authors', 'dimension', 'one author', ['author_id'], [key('author_id'), column('name', 'text'), column('country', 'text')]),
    table('title_author', 'Authors of titles', 'bridge', 'one author’s share in one title', ['title_id', 'author_id'], [reference('title_id'), reference('author_id'), amount('share', 'decimal(3,2)')], { weight: { column: 'share', per: ['title_id'] } }),
    table('price_list', 'Price list', 'dimension', 'one price of one title from one day on', ['price_no'], [key('price_no'), reference('title_id'), amount('price', 'decimal(7,2)', 'avg'), column('valid_from', 'date')]),
    table('staff', 'Staff', 'dimension', 'one post held', ['staff_no'], [key('staff_no'), column('full_name', 'text'), column('manager_no', 'integer'), reference('branch_code', 'text'), column('post', 'text')]),
    table('desk_log', 'Desk log', 'staging', 'one message of a desk terminal', [], [column('logged_at', 'timestamp', 'attribute', { pattern: 'yyyy-MM-dd HH:mm:ss' }), column('terminal', 'text'), column('kind', 'text'), column('note', 'text')]),
  ],
  relationships: [
    relate('loan_export', 'branch_code', 'branch', 'branch_code', { name: 'loan_branch' }),
    relate('loan_export', 'card_no', 'card', 'card_no', { name: 'loan_card' }),
    relate('loan_export', 'barcode', 'copy', 'barcode', { name: 'loan_copy' }),
    relate('loan_export', 'loan_date', 'calendar', 'day', { name: 'lent_on' }),
    relate('loan_export', 'return_date', 'calendar', 'day', { name: 'returned_on', default: false, role: 'Returned on' }),
    relate('hold', 'branch_code', 'branch'),
    relate('hold', 'card_no', 'card'),
    relate('hold', 'title_id', 'title'),
    relate('hold', 'placed_on', 'calendar', 'day', { name: 'placed_on', role: 'Placed on' }),
    relate('hold', 'filled_on', 'calendar', 'day', { name: 'filled_on', role: 'Filled on' }),
    relate('stock_count', 'counted_on', 'calendar', 'day'),
    relate('stock_count', 'branch_code', 'branch'),
    relate('stock_count', 'title_id', 'title'),
    relate('budget', 'branch_code', 'branch'),
    relate('budget', 'quarter', 'calendar', 'year_quarter'),
    relate('programme_visit', 'branch_code', 'branch'),
    relate('programme_visit', 'held_on', 'calendar', 'day'),
    relate('branch', 'district_code', 'district'),
    relate('card', 'district_code', 'district', 'district_code', { default: false }),
    relate('copy', 'title_id', 'title'),
    relate('copy', 'branch_code', 'branch', 'branch_code', { default: false, role: 'Kept at' }),
    relate('title', 'subject_code', 'subject'),
    relate('subject', 'area_code', 'subject_area'),
    relate('title_author', 'title_id', 'title'),
    relate('title_author', 'author_id', 'author'),
    relate('price_list', 'title_id', 'title'),
    relate('staff', 'branch_code', 'branch'),
  ],
  hierarchies: [
    { name: 'Geography', table: 'branch', levels: [{ name: 'Region', column: 'district.region' }, { name: 'District', column: 'district.name' }, { name: 'Town', column: 'town' }, { name: 'Branch', column: 'name', key: 'branch_code' }] },
    { name: 'Subjects', table: 'title', levels: [{ name: 'Area', column: 'subject_area.name' }, { name: 'Subject', column: 'subject.name' }, { name: 'Title', column: 'name', key: 'title_id' }] },
    { name: 'Calendar', table: 'calendar', levels: [{ name: 'Year', column: 'year' }, { name: 'Quarter', column: 'year_quarter' }, { name: 'Month', column: 'year_month' }, { name: 'Day', column: 'day' }], default: true },
    { name: 'Line of report', table: 'staff', parent: 'manager_no', label: 'full_name', ownRows: 'shown' },
  ],
  calendars: [{ table: 'calendar', day: 'day', fiscalYear: { firstMonth: 7, namedBy: 'end' } }],
  measures: [
    { name: 'Loans', table: 'loan_export', formula: 'count(loan_export)', format: { decimals: 0, thousands: true }, folder: 'Lending' },
    { name: 'Borrowers', table: 'loan_export', formula: 'count(distinct loan_export.card_no)', format: { decimals: 0, thousands: true }, folder: 'Lending' },
    { name: 'Loans per borrower', table: 'loan_export', formula: '"Loans" / "Borrowers"', format: { decimals: 1 }, folder: 'Lending' },
    { name: 'Late loans', table: 'loan_export', formula: '"Loans" where loan_export.late', format: { decimals: 0, thousands: true }, folder: 'Lending' },
    { name: 'Share of late loans', table: 'loan_export', formula: '"Late loans" / "Loans"', format: { decimals: 1, percent: true }, folder: 'Lending' },
    { name: 'Loans a year before', table: 'loan_export', formula: '"Loans" over (same period 1 year back)', format: { decimals: 0, thousands: true }, folder: 'Lending' },
    { name: 'Fines', table: 'loan_export', formula: 'sum(loan_export.fine) filter (where not loan_export.fine_waived)', format: { decimals: 2, thousands: true, unit: '€' }, folder: 'Money' },
    { name: 'Fine per late loan', table: 'loan_export', formula: '"Fines" / "Late loans"', format: { decimals: 2, unit: '€' }, folder: 'Money' },
    { name: 'Budgeted', table: 'budget', formula: 'sum(budget.amount)', format: { decimals: 0, thousands: true, unit: '€' }, folder: 'Money' },
    { name: 'Fines less budget', table: 'budget', formula: '"Fines" - "Budgeted"', format: { decimals: 2, thousands: true, unit: '€' }, folder: 'Money' },
    { name: 'Copies on shelf', table: 'stock_count', formula: 'sum(stock_count.on_shelf)', format: { decimals: 0, thousands: true }, folder: 'Stock' },
    { name: 'Copies missing', table: 'stock_count', formula: 'sum(stock_count.missing) at last stock_count.counted_on', format: { decimals: 0, thousands: true }, folder: 'Stock' },
    { name: 'Holds', table: 'hold', formula: 'count(hold)', format: { decimals: 0, thousands: true }, folder: 'Reserving' },
    { name: 'Visitors', table: 'programme_visit', formula: 'sum(programme_visit.attendance)', format: { decimals: 0, thousands: true }, folder: 'Programmes' },
    { name: 'Visitors per loan', table: 'programme_visit', formula: '"Visitors" / "Loans"', format: { decimals: 3 }, folder: 'Programmes' },
  ],
  perspectives: [
    { name: 'Branch managers', tables: ['branch', 'district', 'calendar'], columns: [], hierarchies: ['branch.Geography', 'calendar.Calendar'], measures: ['Loans', 'Share of late loans', 'Visitors'] },
    { name: 'Collections', tables: ['title', 'subject', 'subject_area', 'calendar', 'card'], columns: [], hierarchies: ['title.Subjects', 'calendar.Calendar'], measures: ['Loans', 'Copies missing', 'Holds', 'Visitors'] },
  ],
});

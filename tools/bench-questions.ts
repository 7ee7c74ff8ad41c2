import type { Query } from '@crease/core/model';

// Questions on the demo's loans, as the benches ask them.

const BRANCH =
  'left join branch b on b.branch_code = l.branch_code left join district d on d.district_code = b.district_code';
const DAY = 'left join calendar c on c.day = l.loan_date';
const TITLE = 'left join copy k on k.barcode = l.barcode left join title t on t.title_id = k.title_id';
const spot = (formula: string): Query['measures'][number] => ({ name: 'M', formula });

export interface Question {
  readonly name: string;
  readonly query: Query;
  readonly sql: string;
  /** What SQLite lacks a function for is not asked of it. */
  readonly notSqlite?: boolean;
  /** Where members may be tied, only their numbers are compared. */
  readonly isTied?: boolean;
}

export const QUESTIONS: readonly Question[] = [
  {
    name: 'all loans',
    query: { measures: ['Loans'] },
    sql: 'select count(*) from loan_export',
  },
  {
    name: 'two measures by region and month',
    query: {
      by: ['district.region', 'calendar.year_month'],
      measures: ['Loans', spot('sum(loan_export.fine)')],
    },
    sql: `select d.region, c.year_month, count(*), sum(l.fine) from loan_export l ${BRANCH} ${DAY} group by 1, 2`,
  },
  {
    name: 'by branch and class, two hops',
    query: { by: ['branch.name', 'title.class'], measures: ['Loans'] },
    sql: `select b.name, t.class, count(*) from loan_export l ${BRANCH} ${TITLE} group by 1, 2`,
  },
  {
    name: 'one year by subject area, four hops',
    query: { by: ['subject_area.name'], measures: ['Loans'], filters: [{ where: 'calendar.year = 2025' }] },
    sql: `select a.name, count(*) from loan_export l ${DAY} ${TITLE} left join subject s on s.subject_code = t.subject_code left join subject_area a on a.area_code = s.area_code where c.year = 2025 group by 1`,
  },
  {
    name: 'a condition on two columns',
    query: { by: ['district.region'], measures: ['Late loans'] },
    sql: `select d.region, count(*) from loan_export l ${BRANCH} where l.return_date > l.due_date group by 1`,
  },
  {
    name: 'ranges of two columns',
    query: {
      by: ['district.region'],
      measures: ['Loans'],
      filters: [{ where: 'loan_export.fine between 0.50 and 4.00 and loan_export.renewals > 0' }],
    },
    sql: `select d.region, count(*) from loan_export l ${BRANCH} where l.fine between 0.50 and 4.00 and l.renewals > 0 group by 1`,
  },
  {
    name: 'a or b, of two tables',
    query: {
      by: ['calendar.year'],
      measures: ['Loans'],
      filters: [{ where: "district.region = 'Coast' or loan_export.renewals > 1" }],
    },
    sql: `select c.year, count(*) from loan_export l ${BRANCH} ${DAY} where d.region = 'Coast' or l.renewals > 1 group by 1`,
  },
  {
    name: 'distinct borrowers by region',
    query: { by: ['district.region'], measures: ['Borrowers'] },
    sql: `select d.region, count(distinct l.card_no) from loan_export l ${BRANCH} group by 1`,
  },
  {
    name: 'median by terminal',
    query: { by: ['loan_export.terminal'], measures: [spot('median(loan_export.renewals)')] },
    sql: 'select terminal, median(renewals) from loan_export group by 1',
    notSqlite: true,
  },
  {
    name: 'top 20 titles',
    query: {
      by: ['title.title_id'],
      measures: ['Loans'],
      sort: [{ of: 'Loans', order: 'descending' }],
      limit: 20,
    },
    sql: `select t.title_id, count(*) n from loan_export l ${TITLE} group by 1 order by n desc limit 20`,
    isTied: true,
  },
  {
    name: 'over a bridge',
    query: { by: ['author.country'], measures: ['Loans'] },
    sql: `select country, count(*) from (select distinct l.rowid r, u.country country from loan_export l ${TITLE} left join title_author x on x.title_id = t.title_id left join author u on u.author_id = x.author_id) z group by 1`,
  },
  {
    name: 'a year before, by month',
    query: { by: ['calendar.year_month'], measures: ['Loans a year before'] },
    sql: `select n.year_month, count(*) from loan_export l join calendar c on c.day = l.loan_date join (select distinct year_month, year, month from calendar) n on n.year = c.year + 1 and n.month = c.month group by 1`,
  },
  {
    name: 'average per borrower by region',
    query: { by: ['district.region'], measures: [spot('avg("Loans" per loan_export.card_no)')] },
    sql: `select region, avg(n) from (select d.region region, l.card_no, count(*) n from loan_export l ${BRANCH} group by 1, 2) z group by 1`,
  },
];

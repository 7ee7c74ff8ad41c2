import type { Model } from '@crease/core/model';

/** What tables are, by name; and what their columns are. */
const TABLES: Readonly<Record<string, readonly [string, Readonly<Record<string, string>>]>> = {
  loan_export: [
    'Every copy that was lent, as the desks export it at night. A receipt has a line for each copy.',
    {
      receipt_no: 'Number of the receipt; it begins anew at each terminal.',
      line_no: 'Place of the copy on its receipt, from 1.',
      terminal: 'The desk terminal at which it was lent.',
      branch_code: 'The branch of the terminal, not of the copy.',
      card_no: 'The card on which it was lent.',
      barcode: 'The copy that was lent.',
      lent_at: 'When it was lent, to the second, as the terminals write it.',
      loan_date: 'The day on which it was lent.',
      due_date: 'The day by which it is to be back; renewals move it.',
      return_date: 'The day on which it came back; empty while it is out.',
      renewals: 'How often the loan was renewed.',
      fine: 'Fine for a late return, in full, also where it was waived.',
      fine_waived: 'Whether the fine was waived at the desk.',
      late: 'Came back after its due date, or is out beyond it.',
      days_out: 'Days from the loan to the return.',
    },
  ],
  hold: [
    'Reservations of titles, from the day on which they were placed.',
    {
      hold_no: 'Number of the reservation.',
      title_id: 'The title that is wanted, in any copy.',
      card_no: 'The card for which it is held.',
      branch_code: 'The branch where it is to be picked up.',
      placed_on: 'The day on which it was placed.',
      filled_on: 'The day on which a copy was there; empty while it is open.',
      cancelled_on: 'The day on which it was cancelled.',
    },
  ],
  stock_count: [
    'Copies of each title in each branch, counted at the end of every month. Months are not added up.',
    {
      counted_on: 'The last day of the month.',
      branch_code: 'The branch that counted.',
      title_id: 'The title that was counted.',
      on_shelf: 'Copies on the shelf.',
      out: 'Copies that are lent.',
      missing: 'Copies that are neither lent nor found.',
    },
  ],
  budget: [
    'Money for new copies, by branch and quarter.',
    {
      budget_no: 'Number of the budget.',
      branch_code: 'The branch that spends it.',
      quarter: 'The quarter, as 2026-Q1.',
      amount: 'What may be spent in the quarter.',
    },
  ],
  programme_visit: [
    'Readings, courses and other events, with the heads that were counted.',
    {
      visit_no: 'Number of the event.',
      branch_code: 'Where it took place.',
      held_on: 'The day on which it took place.',
      programme: 'The programme that it belongs to.',
      attendance: 'Heads that were counted.',
    },
  ],
  calendar: [
    'The days of the years that are reported on. The fiscal year begins on 1 July.',
    {
      day: 'The day.',
      year: 'Calendar year.',
      quarter: 'Quarter of the year, 1 to 4.',
      year_quarter: 'Quarter with its year, as 2026-Q1.',
      month: 'Month of the year, 1 to 12.',
      month_name: 'Name of the month.',
      year_month: 'Month with its year, as 2026-03.',
      day_of_week: 'Day of the week, 1 for Monday.',
      weekend: 'Saturdays and Sundays.',
      fiscal_year: 'Fiscal year, named by the year in which it ends.',
    },
  ],
  branch: [
    'The libraries of the consortium that lend.',
    {
      branch_code: 'Short code, as it stands on receipts.',
      name: 'Name of the branch.',
      town: 'The town in which it stands.',
      district_code: 'The district of the town.',
      opened_on: 'The day on which it was opened.',
      floor_area: 'Square metres that are open to the public.',
    },
  ],
  district: [
    'Districts that pay for the branches and issue the cards.',
    {
      district_code: 'Code of the district.',
      name: 'Name of the district.',
      region: 'The region it lies in.',
    },
  ],
  card: [
    'Patron cards, each with its present category.',
    {
      card_no: 'Number on the card.',
      category: 'Whose card it is: adult, child, student or senior.',
      birth_year: 'Year of birth of its holder.',
      district_code: 'The district that issued it.',
      issued_on: 'The day on which it was issued.',
    },
  ],
  card_version: [
    'The categories that a card had, each with the days on which it was valid.',
    {
      version_id: 'Number of the version.',
      card_no: 'The card.',
      category: 'Its category in this time.',
      valid_from: 'The first day of the version.',
      valid_to: 'The last day of the version; empty for the present one.',
    },
  ],
  copy: [
    'The copies on the shelves, one for each barcode.',
    {
      barcode: 'The barcode on the copy.',
      title_id: 'The title it is a copy of.',
      branch_code: 'The branch that owns it.',
      shelf_mark: 'Where it stands.',
      price: 'What was paid for it.',
      acquired_on: 'The day on which it was bought.',
    },
  ],
  title: [
    'Works that the libraries have, whatever the number of copies.',
    {
      title_id: 'Number in the catalogue.',
      name: 'The title, as it is printed.',
      subject_code: 'The subject it is shelved under.',
      class: 'Lending, or reference: it stays in the library.',
      pages: 'Pages of the printed book.',
      published: 'Year of publication.',
      newest_price: 'The price of the newest line of the price list.',
    },
  ],
  subject: [
    'Subjects of the shelves.',
    {
      subject_code: 'Code of the subject.',
      name: 'Name of the subject.',
      area_code: 'The area it belongs to.',
    },
  ],
  subject_area: [
    'Areas that subjects are grouped in.',
    { area_code: 'Code of the area.', name: 'Name of the area.' },
  ],
  author: [
    'Authors of the titles.',
    {
      author_id: 'Number of the author.',
      name: 'Name of the author.',
      country: 'The country the author writes from.',
    },
  ],
  title_author: [
    'Which authors wrote a title, each with a share; the shares of a title make one.',
    { title_id: 'The title.', author_id: 'One of its authors.', share: 'The author’s part, from 0 to 1.' },
  ],
  price_list: [
    'Prices of titles, each from one day on.',
    {
      price_no: 'Number of the price.',
      title_id: 'The title.',
      price: 'The price from that day on.',
      valid_from: 'The first day on which it was valid.',
    },
  ],
  staff: [
    'Posts of the consortium and who reports to whom.',
    {
      staff_no: 'Number of the post.',
      full_name: 'Who holds it.',
      manager_no: 'The post that it reports to; empty at the top.',
      branch_code: 'The branch of the post.',
      post: 'What the post is.',
    },
  ],
  desk_log: [
    'Messages of the desk terminals, raw. It feeds desk use and nothing else.',
    {
      logged_at: 'When the message was written.',
      terminal: 'The terminal that wrote it.',
      kind: 'What the message is about.',
      note: 'The text of the message.',
    },
  ],
  desk_use: [
    'How busy the terminals are: the desk log, counted by day.',
    {
      terminal: 'The terminal.',
      day: 'The day.',
      kind: 'What the messages are about.',
      uses: 'Messages that were written.',
    },
  ],
};

const MEASURES: Readonly<Record<string, string>> = {
  Loans: 'Copies lent.',
  Borrowers: 'Cards on which something was lent.',
  'Loans per borrower': 'Copies lent per card that borrowed.',
  'Late loans': 'Loans that came back late, or are out beyond their due date.',
  'Share of late loans': 'Late loans of all loans.',
  'Loans a year before': 'Loans of the same days one year earlier.',
  Fines: 'Fines that were charged, without those that were waived.',
  'Fine per late loan': 'What a late return costs on average.',
  Budgeted: 'Money for new copies.',
  'Fines less budget': 'How far fines would pay for new copies.',
  'Copies on shelf': 'Copies on the shelf, at the last count.',
  'Copies missing': 'Copies that were neither lent nor found at the last count.',
  Holds: 'Reservations placed.',
  Visitors: 'Heads counted at events.',
  'Visitors per loan': 'Heads at events for each copy lent.',
};

const HIERARCHIES: Readonly<Record<string, string>> = {
  'branch.Geography': 'From the region down to the branch.',
  'title.Subjects': 'From the area of the shelves down to the title.',
  'calendar.Calendar': 'Calendar years down to the day.',
  'staff.Line of report': 'Who reports to whom.',
};

/** The model with a description on every table, column, measure and hierarchy that has one here. */
export const withTexts = (model: Model): Model => ({
  ...model,
  tables: model.tables.map((t) => {
    const [description, columns] = TABLES[t.name] ?? [undefined, {}];
    return {
      ...t,
      ...(description === undefined ? {} : { description }),
      columns: t.columns.map((c) => (columns[c.name] ? { ...c, description: columns[c.name] } : c)),
    };
  }),
  ...(model.measures && {
    measures: model.measures.map((m) => (MEASURES[m.name] ? { ...m, description: MEASURES[m.name] } : m)),
  }),
  ...(model.hierarchies && {
    hierarchies: model.hierarchies.map((h) =>
      HIERARCHIES[`${h.table}.${h.name}`] ? { ...h, description: HIERARCHIES[`${h.table}.${h.name}`] } : h,
    ),
  }),
});

import { addMonths, civilFromDays, daysFromCivil, formatDate, isoWeekday } from '@crease/core/values';
import { MONTH_NAMES } from '@crease/core/calendar';
import { csvLine } from '@crease/core/interchange';
import { Random } from './random.ts';
import {
  ADJECTIVES,
  AREAS,
  BRANCH_KINDS,
  CATEGORIES,
  COUNTRIES,
  DISTRICTS,
  FIRST_NAMES,
  LAST_NAMES,
  NOUNS,
  PROGRAMMES,
  REGIONS,
  SUBJECTS,
  TAILS,
  TOWNS,
} from './words.ts';

export interface DemoOptions {
  /** Lines of loan receipts; everything else follows from it. */
  readonly loans?: number;
  readonly seed?: number;
}

export interface DemoFile {
  readonly name: string;
  /** Lines of delimited text, the header first; made as they are asked for. */
  readonly lines: () => Iterable<string>;
}

type Cell = null | boolean | number | string;

const FIRST_DAY = daysFromCivil(2024, 1, 1);
const LAST_DAY = daysFromCivil(2026, 6, 30);
/** A branch that opens half-way. */
const NEW_BRANCH_FROM = daysFromCivil(2025, 3, 1);
/** The week that the calendar lacks: a planted flaw. */
const MISSING_WEEK = daysFromCivil(2025, 10, 6);
const BRANCHES = 24;
const TERMINALS = 60;

export const DEFAULT_LOANS = 200_000;

const branchCode = (i: number): string => `B${String(i + 1).padStart(3, '0')}`;
const money = (cents: number): string => `${Math.floor(cents / 100)}.${String(cents % 100).padStart(2, '0')}`;
const two = (n: number): string => String(n).padStart(2, '0');

/**
 * The source files of the consortium, planted flaws included. The same options give the same bytes on every
 * machine.
 */
export function demoFiles(options: DemoOptions = {}): DemoFile[] {
  const loans = options.loans ?? DEFAULT_LOANS;
  const seed = options.seed ?? 20260630;
  const titles = Math.max(300, Math.round(Math.sqrt(loans) * 3));
  const cards = Math.max(400, Math.round(loans / 22));
  const copies = titles * 4;
  const file = (
    name: string,
    header: readonly string[],
    number: number,
    rows: (random: Random) => Iterable<readonly Cell[]>,
  ): DemoFile => ({
    name,
    lines: function* () {
      yield csvLine(header);
      for (const row of rows(new Random(seed + number * 7919))) yield csvLine(row);
    },
  });
  const copyTitle = (copy: number) => new Random(seed + copy * 31).skewed(titles, 1.6);

  return [
    file(
      'loan_export.csv',
      [
        'receipt_no',
        'line_no',
        'terminal',
        'branch_code',
        'card_no',
        'barcode',
        'lent_at',
        'loan_date',
        'due_date',
        'return_date',
        'renewals',
        'fine',
        'fine_waived',
      ],
      1,
      (r) => loanRows(r, loans, cards, copies),
    ),
    file('title.csv', ['title_id', 'name', 'subject_code', 'class', 'pages', 'published'], 2, function* (r) {
      for (let i = 0; i < titles; i++) {
        const name = `The ${r.pick(ADJECTIVES)} ${r.pick(NOUNS)}${r.pick(TAILS)}`;
        yield [
          1001 + i,
          name,
          SUBJECTS[r.skewed(SUBJECTS.length, 1.4)]![0],
          r.chance(0.06) ? 'Reference' : 'Lending',
          r.whole(24, 720),
          r.whole(1962, 2025),
        ];
      }
    }),
    file('subject.csv', ['subject_code', 'name', 'area_code'], 3, function* () {
      for (const s of SUBJECTS) yield s;
    }),
    file('subject_area.csv', ['area_code', 'name'], 4, function* () {
      for (const a of AREAS) yield a;
    }),
    file('author.csv', ['author_id', 'name', 'country'], 5, function* (r) {
      for (let i = 0; i < Math.round(titles * 0.7); i++)
        yield [i + 1, `${r.pick(FIRST_NAMES)} ${r.pick(LAST_NAMES)}`, r.pick(COUNTRIES)];
    }),
    file('title_author.csv', ['title_id', 'author_id', 'share'], 6, (r) =>
      titleAuthorRows(r, titles, Math.round(titles * 0.7)),
    ),
    file(
      'copy.csv',
      ['barcode', 'title_id', 'branch_code', 'shelf_mark', 'price', 'acquired_on'],
      7,
      function* (r) {
        for (let i = 0; i < copies; i++) {
          const title = copyTitle(i);
          yield [
            300_000_001 + i,
            1001 + title,
            branchCode(r.skewed(BRANCHES, 1.8)),
            `${SUBJECTS[title % SUBJECTS.length]![0]} ${r.whole(100, 999)}`,
            money(r.whole(450, 5900)),
            formatDate(r.whole(FIRST_DAY - 3000, LAST_DAY - 60)),
          ];
        }
      },
    ),
    file('price_list.csv', ['price_no', 'title_id', 'price', 'valid_from'], 8, function* (r) {
      let number = 1;
      for (let i = 0; i < titles; i++) {
        let price = r.whole(450, 4900);
        for (let v = 0; v < r.whole(1, 3); v++) {
          yield [number++, 1001 + i, money(price), formatDate(FIRST_DAY - 700 + v * 400 + r.whole(0, 300))];
          price += r.whole(20, 300);
        }
      }
    }),
    file('card.csv', ['card_no', 'category', 'birth_year', 'district_code', 'issued_on'], 9, function* (r) {
      for (let i = 0; i < cards; i++) {
        const category = r.pick(CATEGORIES);
        const birth =
          category === 'child'
            ? r.whole(2012, 2020)
            : category === 'student'
              ? r.whole(1999, 2009)
              : category === 'senior'
                ? r.whole(1935, 1959)
                : r.whole(1960, 2000);
        const row: Cell[] = [
          70_000_001 + i,
          category,
          birth,
          DISTRICTS[r.skewed(DISTRICTS.length, 1.3)]![0],
          formatDate(r.whole(FIRST_DAY - 2000, LAST_DAY - 30)),
        ];
        yield row;
        // The planted flaw: one card number that was given out twice.
        if (i === 117) yield [row[0]!, 'adult', 1971, 'CO1', formatDate(FIRST_DAY + 90)];
      }
    }),
    file(
      'card_version.csv',
      ['version_id', 'card_no', 'category', 'valid_from', 'valid_to'],
      10,
      function* (r) {
        let id = 1;
        for (let i = 0; i < cards; i += 9) {
          const turn = r.whole(FIRST_DAY + 100, LAST_DAY - 100);
          yield [id++, 70_000_001 + i, 'child', formatDate(FIRST_DAY - 1500), formatDate(turn)];
          yield [id++, 70_000_001 + i, 'student', formatDate(turn + 1), null];
        }
      },
    ),
    file(
      'branch.csv',
      ['branch_code', 'name', 'town', 'district_code', 'opened_on', 'floor_area'],
      11,
      function* (r) {
        for (let i = 0; i < BRANCHES; i++) {
          const district = i % DISTRICTS.length;
          // Town 5 is written down in two districts: a planted flaw.
          const town = i === 13 ? TOWNS[5]! : TOWNS[(district * 2 + Math.floor(i / 12)) % TOWNS.length]!;
          yield [
            branchCode(i),
            `${town} ${BRANCH_KINDS[Math.floor(i / 3) % BRANCH_KINDS.length]!}`,
            town,
            DISTRICTS[district]![0],
            formatDate(
              i === BRANCHES - 1
                ? NEW_BRANCH_FROM
                : daysFromCivil(1961 + i * 2, r.whole(1, 12), r.whole(1, 28)),
            ),
            money(r.whole(12_000, 310_000)),
          ];
        }
      },
    ),
    file('district.csv', ['district_code', 'name', 'region'], 12, function* () {
      for (const [code, name, region] of DISTRICTS) yield [code, name, REGIONS[region]!];
    }),
    file('staff.csv', ['staff_no', 'full_name', 'manager_no', 'branch_code', 'post'], 13, staffRows),
    file(
      'stock_count.csv',
      ['counted_on', 'branch_code', 'title_id', 'on_shelf', 'out', 'missing'],
      14,
      (r) => stockRows(r, titles),
    ),
    file(
      'hold.csv',
      ['hold_no', 'title_id', 'card_no', 'branch_code', 'placed_on', 'filled_on', 'cancelled_on'],
      15,
      function* (r) {
        for (let i = 0; i < Math.round(loans / 25); i++) {
          const placed = r.whole(FIRST_DAY, LAST_DAY - 40);
          const filled = r.chance(0.8) ? placed + r.whole(1, 40) : null;
          yield [
            i + 1,
            1001 + r.skewed(titles, 1.6),
            70_000_001 + r.skewed(cards, 1.4),
            branchCode(r.skewed(BRANCHES, 1.8)),
            dateOutsideWeek(placed),
            filled === null ? null : dateOutsideWeek(filled),
            filled === null && r.chance(0.5) ? formatDate(placed + r.whole(1, 60)) : null,
          ];
        }
      },
    ),
    file('budget.csv', ['budget_no', 'branch_code', 'quarter', 'amount'], 16, function* (r) {
      let number = 1;
      for (let quarter = 0; quarter < 10; quarter++) {
        const day = addMonths(FIRST_DAY, quarter * 3);
        const { year, month } = civilFromDays(day);
        for (let b = 0; b < BRANCHES; b++)
          yield [
            number++,
            branchCode(b),
            `${year}-Q${Math.ceil(month / 3)}`,
            money(r.whole(90_000, 420_000) + (BRANCHES - b) * 25_000),
          ];
      }
    }),
    file(
      'budget_amount_corrections.csv',
      ['budget_no', 'value', 'author', 'at', 'comment', 'from', 'to'],
      99,
      () => BUDGET_CORRECTIONS,
    ),
    file(
      'programme_visit.csv',
      ['visit_no', 'branch_code', 'held_on', 'programme', 'attendance'],
      17,
      function* (r) {
        for (let i = 0; i < Math.max(300, Math.round(loans / 60)); i++)
          yield [
            i + 1,
            branchCode(r.skewed(BRANCHES, 1.5)),
            dateOutsideWeek(r.whole(FIRST_DAY, LAST_DAY)),
            r.pick(PROGRAMMES),
            2 + r.skewed(48, 1.8),
          ];
      },
    ),
    file('desk_log.csv', ['logged_at', 'terminal', 'kind', 'note'], 18, function* (r) {
      for (let i = 0; i < Math.round(loans / 20); i++) {
        yield [
          `${dateOutsideWeek(r.whole(FIRST_DAY, LAST_DAY))} ${two(r.whole(9, 19))}:${two(r.whole(0, 59))}:${two(r.whole(0, 59))}`,
          `T${two(r.whole(1, TERMINALS))}`,
          r.pick(['loan', 'return', 'renewal', 'login', 'error']),
          r.chance(0.1) ? 'reader gave no beep' : null,
        ];
      }
    }),
    file(
      'calendar.csv',
      [
        'day',
        'year',
        'quarter',
        'year_quarter',
        'month',
        'month_name',
        'year_month',
        'day_of_week',
        'weekend',
        'fiscal_year',
      ],
      19,
      calendarRows,
    ),
  ];
}

function* calendarRows(): Iterable<readonly Cell[]> {
  for (let day = FIRST_DAY; day <= LAST_DAY; day++) {
    if (inMissingWeek(day)) continue;
    const { year, month } = civilFromDays(day);
    const quarter = Math.ceil(month / 3);
    yield [
      formatDate(day),
      year,
      quarter,
      `${year}-Q${quarter}`,
      month,
      MONTH_NAMES[month - 1]!,
      formatDate(day).slice(0, 7),
      isoWeekday(day),
      isoWeekday(day) > 5,
      month >= 7 ? year + 1 : year,
    ];
  }
}

const inMissingWeek = (day: number): boolean => day >= MISSING_WEEK && day < MISSING_WEEK + 7;
/** What two librarians have put right in the budget by hand; the second of them twice. */
const BUDGET_CORRECTIONS: readonly (readonly Cell[])[] = [
  [3, '4150.00', 'Maren Holt', '2024-10-02T09:15:00Z', 'two figures were swapped', null, null],
  [58, '5200.00', 'Piet Lorne', '2025-03-11T14:02:00Z', 'raised by the board', null, null],
  [58, '5350.00', 'Piet Lorne', '2025-04-01T08:30:00Z', 'with the late grant', '2025-04-01', null],
];

/** The missing week shows on loans alone, so that each flaw has its own trace. */
const dateOutsideWeek = (day: number): string => formatDate(inMissingWeek(day) ? day + 7 : day);

/**
 * More in summer, on Saturdays and for the large branches; the last branch opens half-way; some are still
 * out.
 */
function* loanRows(r: Random, loans: number, cards: number, copies: number): Iterable<readonly Cell[]> {
  let receipt = 0;
  let line = 0;
  let [day, branch, card, second] = [0, 0, 0, 0];
  const days = LAST_DAY - FIRST_DAY + 1;
  for (let i = 0; i < loans; i++) {
    if (line === 0 || r.chance(0.42)) {
      receipt++;
      line = 1;
      // Receipts come in the order of time, as a desk prints them.
      day = FIRST_DAY + Math.min(days - 1, Math.floor((i / loans) * days + r.whole(0, 2)));
      if (isoWeekday(day) === 7 && r.chance(0.8)) day -= 1;
      branch = r.skewed(BRANCHES, 2.6);
      if (branch === BRANCHES - 1 && day < NEW_BRANCH_FROM) branch = 0;
      card = r.skewed(cards, 1.5);
      second = r.whole(9 * 3600, 19 * 3600);
    } else line++;
    const due = day + 28;
    const { month } = civilFromDays(day);
    const kept = r.whole(3, 27) + (r.chance(month === 7 || month === 8 ? 0.22 : 0.12) ? r.whole(5, 60) : 0);
    const back = day + kept;
    const returned = back <= LAST_DAY ? back : null;
    const late = returned !== null && returned > due ? returned - due : 0;
    const fine = late > 0 ? late * 15 : null;
    // Planted: a closed branch whose code is still printed by one desk.
    const code = i % 1667 === 803 ? 'B077' : branchCode(branch);
    yield [
      `R${String(receipt).padStart(7, '0')}`,
      line,
      `T${two((branch * 3 + (second % 3)) % TERMINALS)}`,
      code,
      70_000_001 + card,
      300_000_001 + r.skewed(copies, 1.9),
      `${formatDate(day)} ${two(Math.floor(second / 3600))}:${two(Math.floor(second / 60) % 60)}:${two(second % 60)}`,
      formatDate(day),
      formatDate(due),
      returned === null ? null : formatDate(returned),
      r.skewed(4, 3),
      fine === null ? null : money(fine),
      fine !== null && r.chance(0.15),
    ];
    second = Math.min(20 * 3600, second + r.whole(2, 9));
  }
}

function* titleAuthorRows(r: Random, titles: number, authors: number): Iterable<readonly Cell[]> {
  for (let i = 0; i < titles; i++) {
    const first = r.whole(1, authors);
    if (i % 97 !== 41 && r.chance(0.75)) yield [1001 + i, first, '1.00'];
    else {
      const share = r.whole(3, 8);
      yield [1001 + i, first, `0.${share}0`];
      // Planted: one share that does not make up the whole.
      yield [1001 + i, (first % authors) + 1, i % 97 === 41 ? '0.05' : `0.${10 - share}0`];
    }
  }
}

/** Each number of staff has a name of its own. */
const staffName = (n: number): string =>
  `${FIRST_NAMES[n % 20]!} ${LAST_NAMES[(n + Math.floor(n / 20) * 3) % 20]!}`;

function* staffRows(r: Random): Iterable<readonly Cell[]> {
  yield [1, staffName(1), null, branchCode(0), 'director'];
  let number = 2;
  for (let district = 0; district < DISTRICTS.length; district++) {
    const head = number++;
    yield [head, staffName(head), 1, branchCode(district), 'district lead'];
    for (let b = district; b < BRANCHES; b += DISTRICTS.length) {
      const lead = number++;
      yield [lead, staffName(lead), head, branchCode(b), 'branch lead'];
      for (let k = 0; k < 3; k++) {
        const own = number++;
        yield [own, staffName(own), lead, branchCode(b), r.pick(['librarian', 'assistant', 'caretaker'])];
      }
    }
  }
  // Planted: two people who report to each other, and one person under two numbers.
  yield [number, staffName(number), number + 1, branchCode(4), 'project lead'];
  yield [number + 1, staffName(number + 1), number, branchCode(5), 'project lead'];
  yield [number + 2, 'Lee Quill', 3, branchCode(3), 'librarian'];
  yield [number + 3, 'Lee Quill', 3, branchCode(11), 'librarian'];
}

function* stockRows(r: Random, titles: number): Iterable<readonly Cell[]> {
  const counted = Math.min(60, titles);
  for (let month = 0; month < 30; month++) {
    const day = addMonths(FIRST_DAY, month + 1) - 1;
    for (let b = 0; b < BRANCHES; b++) {
      if (b === BRANCHES - 1 && day < NEW_BRANCH_FROM) continue;
      for (let t = b % 2; t < counted; t += 2)
        yield [
          dateOutsideWeek(day),
          branchCode(b),
          1001 + t,
          r.skewed(9, 1.2),
          r.skewed(6, 1.8),
          r.chance(0.04) ? 1 : 0,
        ];
    }
  }
}

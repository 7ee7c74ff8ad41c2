import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { CLAIM_KINDS } from '@crease/core/claims';
import { readSentence } from '@crease/core/interchange';
import { readModel } from '@crease/core/model';
import { AGGREGATE_DEFINITIONS, FUNCTIONS, parseFormula, PERIODS, WORDS } from '@crease/core/formula';

test('the page on formulas tells of every function, aggregate, word and period as the program knows them', () => {
  // Columns of its tables are padded.
  const page = readFileSync(join(__dirname, '../../docs/formulas.md'), 'utf8').replace(/ +/g, ' ');
  for (const a of AGGREGATE_DEFINITIONS)
    expect(page).toContain(
      `| \`${a.name}(${a.parameters})\` | ${a.documentation} | \`${a.example.formula}\` |`,
    );
  for (const w of [...WORDS, ...PERIODS])
    expect(page).toContain(`| \`${w.form}\` | ${w.documentation} | \`${w.example.formula}\` |`);
  for (const f of FUNCTIONS)
    expect(page).toContain(
      `| \`${f.name}(${f.parameters})\` | ${f.documentation} | \`${JSON.stringify(f.example.gives)}\` | \`${f.example.formula}\` |`.replace(
        / +/g,
        ' ',
      ),
    );
});

describe('every example of the page on formulas is one that the program takes', () => {
  const page = readFileSync(join(__dirname, '../../docs/formulas.md'), 'utf8');
  const block = /```\n([\s\S]*?)```/.exec(page)![1]!.trim().split('\n');
  const inBlock = block.map((line) => line.split(/ {2,}/)[0]!);
  const inTables = [...page.matchAll(/\| `([^`]+)` +\|$/gm)].map((m) => m[1]!);
  const inWords = ['"Amount" ignoring all reaching delivery', '"Amount" ignoring reaching delivery'];

  test.each([...inBlock, ...inTables, ...inWords])('%s', (formula) => {
    expect(parseFormula(formula.replaceAll('\\|', '|')).faults).toEqual([]);
  });

  test('there are examples', () => expect(inBlock.length + inTables.length).toBeGreaterThan(50));
});

test('the question on the page about trials is one that the program reads', () => {
  const page = readFileSync(join(__dirname, '../../docs/trial.md'), 'utf8');
  const sentence = /```\n(show [\s\S]*?)```/.exec(page)![1]!;
  const column = (name: string, type = 'text', use = 'attribute') => ({ name, type, use });
  const model = readModel(
    JSON.stringify({
      crease: 1,
      name: 'm',
      tables: [
        {
          name: 'loan',
          role: 'fact',
          columns: [
            column('fine', 'integer', 'quantity'),
            column('late', 'boolean'),
            column('copies', 'integer', 'quantity'),
          ],
        },
        { name: 'branch', role: 'dimension', columns: [column('town'), column('region')] },
        { name: 'calendar', role: 'dimension', columns: [column('day', 'date'), column('year', 'integer')] },
      ],
      hierarchies: [{ name: 'Geography', table: 'branch', levels: [{ name: 'Region', column: 'region' }] }],
      calendars: [{ table: 'calendar', day: 'day' }],
      measures: [{ name: 'Loans', formula: 'count(loan)' }],
    }),
  );
  const { query, faults } = readSentence(sentence, model);
  expect(faults).toEqual([]);
  expect(query).toMatchObject({ limit: 20, asOf: '2026-06-30', subtotals: true, empty: 'show' });
  expect(query.filters).toHaveLength(5);
});

test('the page on claims has every kind with its weight, in their order', () => {
  const page = readFileSync(join(__dirname, '../../docs/claims.md'), 'utf8').replace(/ +/g, ' ');
  const listed = [...page.matchAll(/^\| `([a-z-]+)` \| (blocks|warns) \|/gm)].map((m) => [m[1], m[2]]);
  expect(listed).toEqual(CLAIM_KINDS.map((kind) => [kind.kind, kind.weight]));
});

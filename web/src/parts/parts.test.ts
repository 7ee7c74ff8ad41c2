import fc from 'fast-check';
import { columnPath } from '@crease/core/formula';
import type { Model, ValueFormat } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { isAbout, objectOf, parseSelection, selectionText } from '../state/selection.ts';
import { attributesOf, defaultAttribute, itemText } from '../stages/trial/attributes.ts';
import { formatValue, memberText } from './format.ts';
import { bytes, cellText, many, percent } from './text.ts';

test.each([
  ['1234567.50', 'decimal(12,2)', { thousands: true, decimals: 2, unit: '€' }, '1,234,567.50 €'],
  ['9007199254740993.01', 'decimal(38,2)', {}, '9007199254740993.01'],
  [0.12345, 'double', { percent: true, decimals: 1 }, '12.3 %'],
  [0.333333333, 'double', {}, '0.333333'],
  [12, 'integer', {}, '12'],
  [null, 'integer', {}, ''],
  [true, 'boolean', {}, 'true'],
  ['2026-01-02T03:04:05', 'timestamp', {}, '2026-01-02 03:04:05'],
  ['TX', 'text', {}, 'TX'],
  ['Boise Air Terminal', 'text', {}, 'Boise Air Terminal'],
  ['2026-01-02T03:04', 'text', {}, '2026-01-02T03:04'],
  ['T', 'text', {}, 'T'],
  ['2026-01-02', 'date', {}, '2026-01-02'],
  ['1234567.50', 'decimal(12,2)', { scale: 1000, thousands: true }, '1,234.6 k'],
  ['1234567.50', 'decimal(12,2)', { scale: 1_000_000, decimals: 2, unit: '€', unitBefore: true }, '€ 1.23 M'],
  ['-12.50', 'decimal(9,2)', { negative: 'brackets', unit: '€' }, '(12.50 €)'],
  ['-12.50', 'decimal(9,2)', { unit: '€', unitBefore: true }, '-€ 12.50'],
  [-0.001, 'double', { decimals: 2 }, '0.00'],
  ['-9007199254740993', 'integer', { thousands: true }, '-9,007,199,254,740,993'],
  [90, 'integer', { duration: 'h:mm' }, '1:30'],
  [-59.6, 'double', { duration: 'h:mm' }, '-1:00'],
  [null, 'integer', { null: 'none' }, 'none'],
  ['2026-01-02', 'date', { pattern: "d.M.yy 'at' yyyy" }, '2.1.26 at 2026'],
  ['2026-01-02T03:04:05', 'timestamp', { pattern: 'dd MMM yyyy HH:mm' }, '02 Jan 2026 03:04'],
] as [AnswerMember, string, ValueFormat, string][])(
  '%j of type %s is shown as %j',
  (value, type, format, text) => {
    expect(formatValue(value, type, format)).toBe(text);
  },
);

test('every text is shown as it is', () => {
  fc.assert(fc.property(fc.string({ unit: 'grapheme' }), (text) => formatValue(text, 'text') === text));
  for (let code = 0x20; code < 0x180; code++)
    expect(formatValue(String.fromCharCode(code), 'text')).toBe(String.fromCharCode(code));
});

test('a member that is no value is said in words', () => {
  expect([
    memberText(null, 'text'),
    memberText({ null: true }, 'text'),
    memberText({ unmatched: true }, 'date'),
  ]).toEqual(['null', 'no reference', 'unmatched']);
  expect(memberText('TX', 'text')).toBe('TX');
});

test('bytes, counts and shares are humanised', () => {
  expect([bytes(0), bytes(999), bytes(1500), bytes(130_949_162)]).toEqual([
    '0 B',
    '999 B',
    '1.5 kB',
    '131 MB',
  ]);
  expect([many(1, 'row'), many(1200, 'row')]).toEqual(['1 row', '1,200 rows']);
  expect([percent(0), percent(0.0004), percent(0.256)]).toEqual(['0%', '0.04%', '25.6%']);
  // Little is not nothing.
  expect(percent(0.000001)).toBe('< 0.01%');
  expect([cellText(null), cellText(false), cellText(0)]).toEqual(['', 'false', '0']);
});

test('a selection survives the address', () => {
  for (const selection of [
    { kind: 'column', name: 'a.b c' },
    { kind: 'claim', name: 'path-single:a->b' },
  ] as const)
    expect(parseSelection(selectionText(selection))).toEqual(selection);
  expect([parseSelection(null), parseSelection('nothing:x'), parseSelection('table:')]).toEqual([
    undefined,
    undefined,
    undefined,
  ]);
});

test('a claim leads to the object where it is fixed', () => {
  const to = (...about: object[]) => selectionText(objectOf({ id: 'kind:x', about }));
  expect(to({ table: 'loan' }, { table: 'loan', column: 'fine' })).toBe('column:loan.fine');
  expect(to({ table: 'loan' }, { relationship: 'r' })).toBe('relationship:r');
  expect(to({ table: 'branch' }, { hierarchy: 'branch.Place' })).toBe('hierarchy:branch.Place');
  expect(to({ table: 'loan' })).toBe('table:loan');
  expect(to()).toBe('claim:kind:x');
});

test('a claim is shown where it is about the selection', () => {
  const about = [{ table: 'loan', column: 'fine' }, { relationship: 'r' }];
  expect(isAbout(about, { kind: 'column', name: 'LOAN.fine' }, 's', 'id')).toBe(true);
  expect(isAbout(about, { kind: 'table', name: 'loan' }, 's', 'id')).toBe(true);
  expect(isAbout(about, { kind: 'relationship', name: 'R' }, 's', 'id')).toBe(true);
  expect(isAbout(about, { kind: 'column', name: 'loan.other' }, 's', 'id')).toBe(false);
  expect(isAbout(about, { kind: 'claim', name: 'id' }, 's', 'id')).toBe(true);
});

const model: Model = {
  crease: 1,
  name: 'm',
  tables: [
    {
      name: 'f',
      role: 'fact',
      columns: [
        { name: 'd', type: 'integer', use: 'reference' },
        { name: 'q', type: 'integer', use: 'quantity' },
      ],
    },
    {
      name: 'd',
      role: 'dimension',
      label: 'the name',
      columns: [
        { name: 'id', type: 'integer', hidden: true },
        { name: 'the name', type: 'text' },
      ],
    },
    { name: 'raw', role: 'staging', columns: [{ name: 'x', type: 'text' }] },
  ],
  relationships: [{ name: 'fd', from: { table: 'f', columns: ['d'] }, to: { table: 'd', columns: ['id'] } }],
  hierarchies: [
    { name: 'H', table: 'd', levels: [{ name: 'Name', column: 'the name' }] },
    { name: 'T', table: 'd', parent: 'id' },
  ],
};

test('a trial offers levels, depths and columns that are shown, and no quantities', () => {
  expect(attributesOf(model).map((a) => a.text)).toEqual([
    'H.Name',
    'T at depth 1',
    'T at depth 2',
    'T at depth 3',
    'T at depth 4',
    'f.d',
    'd.the name',
  ]);
  const audience = { name: 'P', tables: ['d'], hierarchies: ['d.H'] };
  expect(attributesOf(model, audience).map((a) => itemText(a.item, model))).toEqual(['H.Name', 'd.the name']);
});

test('columns are quoted where a plain name would not be understood, and the first attribute is a label', () => {
  expect([columnPath('a', 'b c'), columnPath('a.b', 'c')]).toEqual(['a.b c', '"a.b"."c"']);
  expect(defaultAttribute(model, 'f')).toBe('d.the name');
  expect(defaultAttribute({ ...model, tables: [] }, 'f')).toBeUndefined();
});

import { isLink } from '../../parts/Cell.tsx';
import { linkFault, linkFormula } from './links.ts';

const columns = [
  { name: 'title_id', type: 'integer' },
  { name: 'Name', type: 'text' },
];

test('a pattern with columns in braces becomes a formula of texts', () => {
  expect(linkFormula("https://catalogue.example/it's/{title_id}?q={name}", columns)).toBe(
    `'https://catalogue.example/it''s/' || cast(title_id as text) || '?q=' || "Name"`,
  );
});

test('what is wrong with a pattern is said', () => {
  expect(linkFault('catalogue/{name}', columns)).toMatch(/begins with its scheme/);
  expect(linkFault('https://catalogue.example/', columns)).toMatch(/name a column in braces/);
  expect(linkFault('https://catalogue.example/{titel_id}', columns)).toMatch(
    /no column "titel_id"; did you mean title_id/,
  );
  expect(linkFault('https://catalogue.example/{NAME}', columns)).toBeUndefined();
});

test('only addresses that cannot run anything are shown as links', () => {
  expect(['https://catalogue.example/1', 'mailto:desk@catalogue.example'].every(isLink)).toBe(true);
  expect(
    ['javascript:alert(1)', 'data:text/html,x', 'see https://catalogue.example', null, 3].some(isLink),
  ).toBe(false);
});

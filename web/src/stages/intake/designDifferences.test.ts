import type { Table } from '@crease/core/model';
import { previewFile } from '@crease/core/reading';
import { designDifferences } from './designDifferences.ts';

const design: Table = {
  name: 'member',
  role: 'dimension',
  key: ['card_no'],
  columns: [
    { name: 'card_no', type: 'integer' },
    { name: 'full_name', type: 'text', length: 8 },
    { name: 'town', type: 'text', length: 20 },
  ],
};
const differences = (text: string, taken = (_name: string) => true) => {
  const preview = previewFile(new TextEncoder().encode(text), true);
  const arriving = preview.columns.map((c) => ({ place: c.place, name: c.name, taken: taken(c.name) }));
  return designDifferences(design, preview, arriving);
};

test('texts that are too long, and keys that repeat or are missing, are told with their counts', () => {
  const rows = ['7,Ann Ash,Elm', '7,Bo Birch,Elm', ',Cy,Ash', '9,Maximiliane,Ash'];
  expect(differences(`card_no,full_name,town\n${rows.join('\n')}\n`)).toEqual([
    'full_name has texts of up to 11 characters, the design allows 8',
    'the key card_no is missing in 1 row',
    'the key card_no repeats: 1 row more than values',
  ]);
});

test('characters are counted, not their bytes; a column that is left out says nothing', () => {
  expect(differences('card_no,full_name\n1,Zoë Öhman\n2,Åke\n')).toEqual([
    'full_name has texts of up to 9 characters, the design allows 8',
  ]);
  expect(differences('card_no,full_name\n1,Anastasia Ash\n', (name) => name !== 'full_name')).toEqual([]);
  expect(differences('card_no,full_name\n1,Ann\n2,Bo\n')).toEqual([]);
});

import { counted, rowsText } from './words.ts';
import type { ClaimKind } from '../claim.ts';
import { keyRemedies } from '../remedies/keys.ts';
import { claimOf } from '../claim.ts';
import { ofTable } from './common.ts';

export const keyUnique: ClaimKind = {
  kind: 'key-unique',
  weight: 'blocks',
  subject: 'table',
  documentation: 'Two rows have the same key.',
  example:
    '`key-unique:card`: no two rows of `card` have the same `card_id`; a card that is listed twice breaks it.',
  list: ({ model, checker }) =>
    model.tables
      .filter((t) => t.key?.length && t.key.every((name) => checker.names.column(t, name)))
      .map((t) =>
        claimOf(keyUnique, t.name, `no two rows of ${t.name} have the same ${t.key!.join(', ')}`, {
          ref: { table: t.name },
          about: [{ table: t.name }, ...t.key!.map((column) => ({ table: t.name, column }))],
          tables: [t.name],
          columns: ofTable(t.name, t.key!),
          parts: t.key,
          counts: [{ count: 'repeated', table: t.name, columns: t.key! }],
          found: (e) =>
            `${rowsText(e)} of ${t.name} share their ${t.key!.join(', ')} with another row: ${counted(e.distinct ?? 0, 'value')} ${e.distinct === 1 ? 'is' : 'are'} repeated`,
          remedies: (_, data) => keyRemedies(model, t, data),
        }),
      ),
};

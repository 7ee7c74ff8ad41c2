import type { ClaimKind } from '../claim.ts';
import { claimOf, restsOn } from '../claim.ts';
import { askCount } from '../judging.ts';
import { ofTable } from './common.ts';
import { counted, rowsText, verb } from './words.ts';

export const validityDisjoint: ClaimKind = {
  kind: 'validity-disjoint',
  weight: 'blocks',
  subject: 'table',
  example:
    '`validity-disjoint:card`: versions of one `card_no` in `card` follow each other day by day; two versions that are valid on 1 May break it.',
  documentation:
    'Two validity intervals of one natural key overlap (the last day counts), or leave a gap; a gap only warns.',
  list: ({ model, checker }) =>
    model.tables
      .filter(
        (t) =>
          t.validity &&
          [...t.validity.of, t.validity.from, t.validity.to].every((name) => checker.names.column(t, name)),
      )
      .map((t) =>
        claimOf(
          validityDisjoint,
          t.name,
          `versions of one ${t.validity!.of.join(', ')} in ${t.name} follow each other day by day`,
          {
            ref: { table: t.name },
            about: [{ table: t.name }],
            tables: [t.name],
            columns: ofTable(t.name, [...t.validity!.of, t.validity!.from, t.validity!.to, ...(t.key ?? [])]),
            parts: [t.validity, t.key],
            judging: function* () {
              const { of, from, to } = t.validity!;
              const { tally, ...evidence } = yield* askCount({
                count: 'versions',
                table: t.name,
                of,
                from,
                to,
                key: t.key ?? [],
              });
              const { overlapping = 0, gapped = 0, certain = 0 } = tally ?? {};
              if (overlapping > 0 && certain === 0) return restsOn(`key-unique:${t.name}`);
              return {
                verdict: evidence.against > 0 ? 'broken' : 'holds',
                weight: overlapping > 0 || gapped === 0 ? 'blocks' : 'warns',
                evidence: {
                  ...evidence,
                  notes: [
                    ...(overlapping ? [`${counted(overlapping, 'row')} overlap`] : []),
                    ...(gapped ? [`${counted(gapped, 'row')} border a gap`] : []),
                  ],
                },
              };
            },
            found: (e) =>
              `${rowsText(e)} of ${t.name} ${verb(e, 'overlaps or borders', 'overlap or border')} a gap with another version of the same ${t.validity!.of.join(', ')}`,
          },
        ),
      ),
};

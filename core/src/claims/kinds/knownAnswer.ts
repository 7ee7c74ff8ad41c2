import type { KnownAnswer, NoMember } from '../../model/index.ts';
import { questionOf } from '../../model/index.ts';
import type { AnswerMember } from '../../query/index.ts';
import { answerQuery } from '../../query/index.ts';
import { parseExact, rescale } from '../../values/index.ts';
import type { ClaimKind, SampleRow } from '../claim.ts';
import { claimOf, SAMPLE_SIZE } from '../claim.ts';
import { askAnswer } from '../judging.ts';
import { formulaParts } from './common.ts';
import { counted, number } from './words.ts';

export const knownAnswer: ClaimKind = {
  kind: 'known-answer',
  weight: 'blocks',
  subject: 'known answer',
  example:
    '`known-answer:Loans in March`: the trial “Loans in March” gives 1,234; an answer of 1,233 breaks it.',
  documentation: "A trial's answer differs from the one that somebody knows to be right.",
  list: ({ model }) =>
    (model.knownAnswers ?? []).map((k) => {
      const query = questionOf(model, k);
      return claimOf(knownAnswer, k.name, `the trial "${k.name}" gives the answer that is known`, {
        ref: { answer: k.name },
        byDay: model.asOf === undefined,
        takesAnyPartner: true,
        found: (e) =>
          `the answer of "${k.name}" differs in ${number(e.against)} of ${counted(e.checked, 'row')}`,
        about: (query?.measures ?? []).flatMap((measure) =>
          typeof measure === 'string' ? [{ measure }] : [],
        ),
        tables: model.tables.filter((t) => t.role !== 'staging').map((t) => t.name),
        parts: [formulaParts(model), model.hierarchies, model.asOf, k, query],
        remedies: (_, data) => {
          if (!query)
            return [
              {
                id: 'remove-answer',
                title: 'Remove the known answer',
                effect: `"${k.name}" is of the trial "${k.trial ?? ''}", which is not kept any more.`,
                edit: [{ do: 'remove-known-answer', name: k.name }],
              },
            ];
          if (!data) return [];
          const { rows } = answerQuery(data, query);
          return [
            {
              id: 'take-answer',
              title: 'Take the answer of today as the known one',
              effect: `"${k.name}" then has ${rows.length === 1 ? '1 row' : `${rows.length} rows`}: do so where the old answer was wrong, not where the model is.`,
              edit: [{ do: 'put-known-answer', value: { ...k, rows: rows.map((row) => [...row]) } }],
            },
          ];
        },
        judging: function* () {
          if (!query)
            return {
              verdict: 'broken',
              evidence: { checked: 0, against: 1, notes: [`the model has no trial "${k.trial ?? ''}"`] },
            };
          const { rows } = yield* askAnswer(query);
          const sample: SampleRow[] = [];
          let against = 0;
          for (let i = 0; i < Math.max(rows.length, k.rows.length); i++) {
            if (rows[i] && k.rows[i] && sameRow(rows[i]!, k.rows[i]!, k)) continue;
            against++;
            if (sample.length < SAMPLE_SIZE)
              sample.push({
                values: { row: i + 1, known: textOf(k.rows[i]), answer: textOf(rows[i]) },
                rows: 1,
              });
          }
          return {
            verdict: against ? 'broken' : 'holds',
            evidence: {
              checked: Math.max(rows.length, k.rows.length),
              against,
              ...(against ? { sample } : {}),
            },
          };
        },
      });
    }),
};

const sameRow = (row: readonly AnswerMember[], known: readonly AnswerMember[], k: KnownAnswer): boolean =>
  row.length === known.length && row.every((cell, i) => sameCell(cell, known[i]!, k.tolerance ?? 0));

const textOf = (row: readonly AnswerMember[] | undefined): string =>
  row
    ? row
        .map((cell) => (cell === null ? 'null' : isNoMember(cell) ? Object.keys(cell)[0] : String(cell)))
        .join(' · ')
    : 'no row';

const isNoMember = (member: AnswerMember): member is NoMember =>
  member !== null && typeof member === 'object';

/** Numbers within the tolerance, compared exactly where both are written plainly. */
function sameCell(a: AnswerMember, b: AnswerMember, tolerance: number): boolean {
  if (a === b) return true;
  if (isNoMember(a) || isNoMember(b)) return JSON.stringify(a) === JSON.stringify(b);
  if (a === null || b === null || typeof a === 'boolean' || typeof b === 'boolean') return false;
  const [x, y] = [parseExact(String(a)), parseExact(String(b))];
  if (x && y && tolerance === 0) {
    const scale = Math.max(x.scale, y.scale);
    if (rescale(x.value, x.scale, scale) === rescale(y.value, y.scale, scale)) return true;
    // An average or a ratio is a double: its last digits depend on how it was written down.
    return (
      (typeof a === 'number' || typeof b === 'number') &&
      !Number.isInteger(Number(a)) &&
      Math.abs(Number(a) - Number(b)) <= 1e-9 * Math.abs(Number(b))
    );
  }
  const [p, q] = [Number(a), Number(b)];
  return Number.isFinite(p) && Number.isFinite(q) && Math.abs(p - q) <= tolerance + 1e-12 * Math.abs(q);
}

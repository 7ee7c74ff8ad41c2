import type { ReadProblem, TableData } from '../../columns/index.ts';
import { problemKind, recordsOf } from '../../columns/index.ts';
import type { ClaimKind, Evidence, SampleRow } from '../claim.ts';
import { claimOf, judged, MOST_LINES, SAMPLE_SIZE } from '../claim.ts';
import { counted, number } from './words.ts';
import { fileOf } from '../../model/index.ts';

export const fileRead: ClaimKind = {
  kind: 'file-read',
  weight: 'blocks',
  subject: 'table',
  documentation:
    "A record of its file became no row and is not a title, a blank line or a header: ragged, swallowed by a quote that never closes; `checked` is the number of records, `against` those that became no row. What the load's own rule left out (misfits, refused keys) is in the notes, not in `against`. Only for file sources, per stored part.",
  example:
    '`file-read:loan`: every record of `loan.csv` became a row; a quote that is not closed on line 25, which swallows the last 6 lines, breaks it.',
  list: ({ model }) =>
    model.tables
      .filter((t) => fileOf(t) !== undefined)
      .map((t) =>
        claimOf(fileRead, t.name, `every record of the file of ${t.name} became a row`, {
          ref: { table: t.name },
          about: [{ table: t.name }],
          tables: [t.name],
          judge: (data) => judged(unreadEvidence(data.table(t.name))),
          found: (e) =>
            `${number(e.against)} of ${counted(e.checked, 'record')} of the file of ${t.name} became no row`,
        }),
      ),
};

function unreadEvidence({ problems, rowCount }: TableData): Evidence {
  const of = (kind: string) => problems.filter((p) => problemKind(p) === kind);
  const unread = of('unread');
  const [misfits, refused] = [recordsOf(of('misfit')), recordsOf(of('refused'))];
  const against = recordsOf(unread);
  const sample = sampleOf(unread);
  const notes = [
    ...(misfits > 0
      ? [`${counted(misfits, 'record')} left out by the load: a value did not fit its type`]
      : []),
    ...(refused > 0 ? [`${counted(refused, 'record')} refused by the load: the key tells no row`] : []),
  ];
  return {
    checked: rowCount + against + misfits + refused,
    against,
    ...(against > 0 ? { distinct: new Set(unread.map((p) => p.message)).size } : {}),
    ...(sample.length > 0 ? { sample } : {}),
    ...(notes.length > 0 ? { notes } : {}),
  };
}

/** Records by the reason why they became no row, the most frequent first. */
function sampleOf(unread: readonly ReadProblem[]): SampleRow[] {
  const byReason = new Map<string, { first: ReadProblem; rows: number; lines: number[] }>();
  for (const problem of unread) {
    let entry = byReason.get(problem.message);
    if (!entry) byReason.set(problem.message, (entry = { first: problem, rows: 0, lines: [] }));
    entry.rows += problem.records ?? 1;
    if (problem.line > 0 && entry.lines.length < MOST_LINES) entry.lines.push(problem.line);
  }
  return [...byReason.values()]
    .sort((a, b) => b.rows - a.rows || a.first.line - b.first.line)
    .slice(0, SAMPLE_SIZE)
    .map(({ first, rows, lines }) => ({
      values: { reason: first.message, 'begins with': first.text ?? null },
      rows,
      ...(lines.length > 0 ? { lines } : {}),
    }));
}

import type { Completion, CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import type { Clause } from '@crease/core/interchange';
import { clauseAt, itemWords, plainName } from '@crease/core/interchange';
import { columnPath } from '@crease/core/formula';
import type { Measure, Model, Perspective } from '@crease/core/model';
import { attributesOf } from '../attributes.ts';
import { defaultAggregate } from './options.ts';
import { calendarsOf, COMMON_PERIODS, periodFilter } from './periods.ts';

/** Clauses that may follow one, in the order of a question. */
const FOLLOWING: Readonly<Record<Clause | 'nothing', readonly string[]>> = {
  nothing: ['show '],
  show: ['by ', 'across ', 'where ', 'having ', 'sorted by ', 'as of ', 'with '],
  by: ['across ', 'where ', 'having ', 'top 10 by ', 'sorted by ', 'limit ', 'as of ', 'with '],
  across: ['where ', 'having ', 'top 10 by ', 'sorted by ', 'limit ', 'as of ', 'with '],
  where: ['and ', 'having ', 'top 10 by ', 'sorted by ', 'limit ', 'as of ', 'with '],
  having: ['and ', 'top 10 by ', 'sorted by ', 'limit ', 'as of ', 'with '],
  top: ['per ', 'smallest first', 'and all others', 'sorted by ', 'limit ', 'as of ', 'with '],
  sorted: ['descending', 'ascending', 'limit ', 'as of ', 'with '],
  limit: ['as of ', 'with '],
  'as of': ['with '],
  with: ['totals', 'subtotals', 'empty members', 'unmatched apart'],
};

/** What a question may name: of the model, what an audience sees where there is one. */
interface Known {
  readonly model: Model;
  readonly measures: readonly Measure[];
  readonly audience: Perspective | undefined;
}

/** What can stand in a clause besides the words that follow it. */
function namesIn(clause: Clause | undefined, { model, measures, audience }: Known): Completion[] {
  const ofMeasures = (): Completion[] =>
    measures
      .filter((m) => !m.hidden)
      .map((m) => ({
        label: plainName(m.name),
        type: 'measure',
        detail: m.title ?? 'measure',
        info: m.formula,
      }));
  const ofAttributes = (): Completion[] =>
    attributesOf(model, audience).map(({ item, group }) => ({
      label: itemWords(item),
      type: 'column',
      detail: group,
    }));
  switch (clause) {
    case undefined:
    case 'show':
      return [
        ...ofMeasures(),
        ...model.tables
          .filter((t) => !audience && t.role !== 'staging')
          .flatMap((t) =>
            t.columns.flatMap((c): Completion[] => {
              const aggregate = defaultAggregate(c);
              return aggregate === undefined
                ? []
                : [
                    {
                      label: `${aggregate} ${columnPath(t.name, c.name)}`,
                      type: 'column',
                      detail: 'column',
                      boost: -20,
                    },
                  ];
            }),
          ),
      ];
    case 'by':
    case 'across':
      return ofAttributes();
    case 'where':
      return [
        ...calendarsOf(model).flatMap((calendar) =>
          [...COMMON_PERIODS, 'last 12 months', 'last quarter'].map((period): Completion => ({
            label: `${periodFilter(period, calendar).period}${calendar === undefined ? '' : ` in ${plainName(calendar)}`}`,
            detail: 'period',
          })),
        ),
        ...ofAttributes().filter((a) => !/ (level|depth) /.test(a.label)),
      ];
    case 'having':
      // In a formula a measure stands in quotes.
      return ofMeasures().map((m) => (m.label.startsWith('"') ? m : { ...m, label: `"${m.label}"` }));
    case 'top':
      return ofMeasures();
    case 'sorted':
      return [...ofMeasures(), ...ofAttributes()];
    default:
      return [];
  }
}

/** Completes the word before the cursor by what its clause takes and by the clauses that may follow. */
export const completeSentence =
  (known: () => Known) =>
  (context: CompletionContext): CompletionResult | null => {
    const before = context.state.sliceDoc(0, context.pos);
    const begun = /(?:^|[\s,(])(["\p{L}_][\p{L}\p{N}_ ."]*)$/u.exec(before);
    // A name of several words is completed from its last word on, or from its first where that fits.
    const word = /["\p{L}_][\p{L}\p{N}_."]*$/u.exec(before)?.[0] ?? '';
    if (!begun && !context.explicit && !/[\s,]$/.test(before)) return null;
    const from = context.pos - word.length;
    const clause = clauseAt(before, from + 1) ?? clauseAt(before, from);
    const options = [
      ...namesIn(clause, known()),
      ...FOLLOWING[clause ?? 'nothing'].map((label): Completion => ({ label, type: 'keyword', boost: -10 })),
    ];
    return { from, options, validFor: /^["\p{L}_][\p{L}\p{N}_."]*$/u };
  };

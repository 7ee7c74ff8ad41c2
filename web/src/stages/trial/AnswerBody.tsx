import { lazy, Suspense } from 'react';
import type { QueryState } from '@crease/contract';
import type { Query, ValueFormat } from '@crease/core/model';
import { AcrossTable } from './table/AcrossTable.tsx';
import type { AnswerSettings } from './answerSettings.ts';
import type { ChosenCell } from './CellEvidence.tsx';
import { CompareHead } from './CompareHead.tsx';
import { CompareTable } from './CompareTable.tsx';
import { AnswerTable } from './table/AnswerTable.tsx';
import type { TrialAddress } from './trialAddress.ts';
import type { Beside } from './useBeside.ts';

const AnswerSql = lazy(() => import('./AnswerSql.tsx'));
const AnswerChart = lazy(() => import('./chart/AnswerChart.tsx'));

interface Props {
  readonly address: TrialAddress;
  readonly answer: QueryState;
  /** What the answer answers, and what is asked now. */
  readonly question: Query;
  readonly asked: Query;
  readonly beside: Beside | undefined;
  readonly settings: AnswerSettings;
  readonly formats: Readonly<Record<string, ValueFormat>>;
  readonly chosen: ChosenCell | undefined;
  readonly onCell: (cell: ChosenCell | undefined) => void;
}

/** The answer as it is looked at: as a table, beside another one, as a chart, or as SQL. */
export function AnswerBody(props: Props) {
  const { address, answer, question, asked, beside, settings, formats, chosen, onCell } = props;
  const { view, query, set } = address;
  if (view.name === 'table' && beside)
    return (
      <section aria-label="Two answers" className="flex min-h-0 flex-1 flex-col">
        <CompareHead
          left={beside.query}
          right={query}
          of={address.besideOf}
          onOf={(of) =>
            set({ revision: of && String(of.revision), then: of?.rows === 'then' ? '1' : undefined })
          }
          onSwap={() =>
            set({ q: JSON.stringify(beside.query), beside: JSON.stringify(query), rows: undefined })
          }
          onEnd={() => set({ beside: undefined, revision: undefined, then: undefined })}
        />
        {beside.answer ? (
          <CompareTable left={beside.answer} right={answer} formats={formats} />
        ) : (
          <p role="alert" className="m-4">
            {beside.fault ?? 'Working …'}
          </p>
        )}
      </section>
    );
  if (view.name !== 'table')
    return (
      <Suspense fallback={<p className="p-4 text-soft">Drawing …</p>}>
        {view.name === 'chart' ? (
          <AnswerChart
            answer={answer}
            byCount={(question.by?.length ?? 0) + (question.across?.length ?? 0)}
            formats={formats}
            view={address.chart}
            onView={address.draw}
            onPoint={onCell}
          />
        ) : (
          <AnswerSql query={asked} />
        )}
      </Suspense>
    );
  const table = { answer, query: question, texts: settings.texts, formats, chosen, onCell };
  if ((question.across?.length ?? 0) > 0) return <AcrossTable {...table} />;
  return (
    <AnswerTable
      {...table}
      onSort={(sort) => {
        onCell(undefined);
        address.ask({ ...query, sort });
      }}
    />
  );
}

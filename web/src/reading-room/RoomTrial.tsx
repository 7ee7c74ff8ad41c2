import { lazy, Suspense, useMemo, useState } from 'react';
import type { Query } from '@crease/core/model';
import type { QueryState } from '@crease/contract';
import type { ClosedTrial } from '@crease/core/release';
import { Foot } from '../frame/Foot.tsx';
import { Blank, LeafHead } from '../frame/Leaves.tsx';
import { many } from '../parts/text.ts';
import { useModel } from '../state/model.tsx';
import { useAsked } from '../state/useAsked.ts';
import { AnswerTools } from '../stages/trial/AnswerTools.tsx';
import type { AnswerSettings } from '../stages/trial/answerSettings.ts';
import { useAnswerSettings } from '../stages/trial/answerSettings.ts';
import type { ChosenCell } from '../stages/trial/CellEvidence.tsx';
import { RowsView } from '../stages/trial/RowsView.tsx';
import { Sentence } from '../stages/trial/sentence/Sentence.tsx';
import { AcrossTable } from '../stages/trial/table/AcrossTable.tsx';
import { AnswerTable } from '../stages/trial/table/AnswerTable.tsx';
import type { TrialAddress, View } from '../stages/trial/trialAddress.ts';
import { useTrialAddress, VIEWS } from '../stages/trial/trialAddress.ts';
import { askedFully } from '../stages/trial/useBeside.ts';
import { Waiting } from '../stages/trial/Waiting.tsx';
import { ClosedAnswer } from './ClosedAnswer.tsx';
import { FieldsPane } from './FieldsPane.tsx';
import { KeptAnswers } from './KeptAnswers.tsx';
import { ReaderCell } from './ReaderCell.tsx';

const AnswerChart = lazy(() => import('../stages/trial/chart/AnswerChart.tsx'));

interface Of {
  readonly model: string;
  readonly perspective: string;
  readonly release: number;
}

/** A question to a release and its answer: as a table, as a chart, with the rows behind its numbers. */
export function RoomTrial({ of, closed }: { of: Of; closed: readonly ClosedTrial[] }) {
  const { questions, measures } = useModel();
  const address = useTrialAddress();
  const { query, view, rows, askRows } = address;
  const [settings, setSettings] = useAnswerSettings();
  const [cell, setCell] = useState<ChosenCell>();
  const [shownClosed, showClosed] = useState<string>();
  const asked = askedFully(query);
  const { answer, question, error, isAsking, giveUp } = useAsked(
    query.measures.length > 0 ? ['query', questions.of, settings.texts] : undefined,
    asked,
    (q, signal) => questions.query({ query: q, texts: settings.texts }, signal),
  );
  const formats = useMemo(
    () => Object.fromEntries(measures.map((m) => [m.name, m.format ?? {}] as const)),
    [measures],
  );
  const pose = (next: Query) => {
    setCell(undefined);
    showClosed(undefined);
    address.ask(next);
  };
  const isGivenUp = error?.name === 'AbortError';
  const shown = error || query.measures.length === 0 ? undefined : answer;
  const fault = [address.queryFault, address.rowsFault, isGivenUp ? undefined : error?.message].find(Boolean);
  const body = { answer: shown!, query: question ?? asked, texts: settings.texts, formats, chosen: cell };
  const closedTrial = closed.find((t) => t.name === shownClosed);
  return (
    <div className="flex min-h-0 flex-1">
      <FieldsPane query={query} onAsk={pose} />
      <main aria-label="Question and answer" className="flex min-h-0 min-w-0 flex-1 flex-col bg-leaf">
        <RoomHead
          shown={shown}
          closedTrial={closedTrial}
          view={view}
          address={address}
          of={of}
          closed={closed}
          showClosed={showClosed}
          setCell={setCell}
          settings={settings}
          setSettings={setSettings}
        />
        {closedTrial ? (
          <ClosedAnswer
            of={of}
            name={closedTrial.name}
            title={closedTrial.title ?? closedTrial.name}
            onBack={() => showClosed(undefined)}
          />
        ) : (
          <>
            <Sentence query={query} perspective={undefined} onAsk={pose} />
            {isAsking && <Waiting key={JSON.stringify(asked)} onGiveUp={giveUp} />}
            {fault !== undefined && (
              <p role="alert" className="m-4 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
                {fault}
              </p>
            )}
            {query.measures.length === 0 && (
              <Blank>
                {measures.length === 0
                  ? 'This perspective shows no measures.'
                  : 'Choose a measure on the left.'}
              </Blank>
            )}
            {rows && (
              <RowsView query={asked} asked={rows} onAsk={askRows} onBack={() => askRows(undefined)} />
            )}
            {shown && !rows && view.name === 'chart' && (
              <Suspense fallback={<p className="p-4 text-soft">Drawing …</p>}>
                <AnswerChart
                  answer={shown}
                  byCount={(body.query.by?.length ?? 0) + (body.query.across?.length ?? 0)}
                  formats={formats}
                  view={address.chart}
                  onView={address.draw}
                  onPoint={setCell}
                />
              </Suspense>
            )}
            {shown &&
              !rows &&
              view.name !== 'chart' &&
              ((body.query.across?.length ?? 0) > 0 ? (
                <AcrossTable {...body} onCell={setCell} />
              ) : (
                <AnswerTable {...body} onCell={setCell} onSort={(sort) => pose({ ...query, sort })} />
              ))}
            {shown && !rows && cell && (
              <ReaderCell
                cell={cell}
                query={body.query}
                answer={shown}
                onClose={() => setCell(undefined)}
                onRows={(one, own) => askRows({ cells: [one], ...(cell.of ? { query: own } : {}) })}
              />
            )}
          </>
        )}
        <Foot />
      </main>
    </div>
  );
}

/** What is shown, how, and what readers may open. */
function RoomHead({
  shown,
  closedTrial,
  view,
  address,
  of,
  closed,
  showClosed,
  setCell,
  settings,
  setSettings,
}: {
  shown: QueryState | undefined;
  closedTrial: ClosedTrial | undefined;
  view: View;
  address: Pick<TrialAddress, 'set' | 'open'>;
  of: Of;
  closed: readonly ClosedTrial[];
  showClosed: (next: string | undefined) => void;
  setCell: (next: ChosenCell | undefined) => void;
  settings: AnswerSettings;
  setSettings: (settings: AnswerSettings) => void;
}) {
  return (
    <LeafHead
      title="Ask"
      note={
        shown && !closedTrial ? `${many(shown.rows.length, 'row')}, ${Math.round(shown.elapsedMs)} ms` : ''
      }
    >
      <span className={closedTrial ? 'hidden' : 'flex'} role="tablist" aria-label="View of the answer">
        {VIEWS.filter((v) => v.name !== 'sql').map(({ name, title, Icon }) => (
          <button
            key={name}
            role="tab"
            aria-selected={name === view.name}
            className={`btn ${name === view.name ? 'bg-ink text-leaf' : ''}`}
            onClick={() => address.set({ view: name === 'table' ? undefined : name })}
          >
            <Icon size={13} aria-hidden /> {title}
          </button>
        ))}
      </span>
      <KeptAnswers
        of={of}
        closed={closed}
        onClosed={showClosed}
        onOpen={(trial) => {
          setCell(undefined);
          showClosed(undefined);
          address.open(trial);
        }}
      />
      <AnswerTools answer={closedTrial ? undefined : shown} settings={settings} onSettings={setSettings} />
    </LeafHead>
  );
}

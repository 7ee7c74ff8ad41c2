import type { ReactNode } from 'react';
import { useMemo, useState } from 'react';
import type { AskedCell, Query, ValueFormat } from '@crease/core/model';
import { useAudience } from '../../state/told.ts';
import { useAsked } from '../../state/useAsked.ts';
import { useModel } from '../../state/model.tsx';
import { Blank, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { many } from '../../parts/text.ts';
import { AboutAnswer } from './AboutAnswer.tsx';
import { HowWorkedOut } from './HowWorkedOut.tsx';
import { AnswerBody } from './AnswerBody.tsx';
import { useAnswerSettings } from './answerSettings.ts';
import type { ChosenCell } from './CellEvidence.tsx';
import { CellEvidence } from './CellEvidence.tsx';
import { RowsView } from './RowsView.tsx';
import { Sentence } from './sentence/Sentence.tsx';
import { useTrialAddress } from './trialAddress.ts';
import { TrialHead } from './TrialHead.tsx';
import { Waiting } from './Waiting.tsx';
import { askedFully, useBeside } from './useBeside.ts';

/** Cells that are put together, and the question that they are of. */
interface Together {
  readonly of: string;
  readonly cells: readonly AskedCell[];
}
const NONE_TOGETHER: Together = { of: '', cells: [] };

/** Formats of the measures that a question has on the spot. */
const formatsOnTheSpot = (query: Query | undefined): [string, ValueFormat][] =>
  (query?.measures ?? []).flatMap((m) =>
    typeof m !== 'string' && 'formula' in m ? [[m.name, m.format ?? {}]] : [],
  );

/**
 * A trial: a question put to the model as a sentence, its answer as a table and a chart. The question is in
 * the address.
 */
export function TrialStage() {
  const { model, measures: known, questions } = useModel();
  const [cell, setCell] = useState<ChosenCell>();
  const [together, setTogether] = useState<Together>(NONE_TOGETHER);
  const perspective = useAudience();
  const address = useTrialAddress();
  const { query, askRows } = address;
  const pose = (next: Query) => {
    setCell(undefined);
    address.ask(next);
  };
  const [settings, setSettings] = useAnswerSettings();
  const asked = askedFully(query);
  const {
    question = asked,
    answer: data,
    error: fault,
    isCurrent,
    isAsking,
    giveUp,
    askAgain,
  } = useAsked(
    query.measures.length > 0 ? ['query', questions.of, settings.texts] : undefined,
    asked,
    (q, signal) => questions.query({ query: q, texts: settings.texts }, signal),
  );
  const isGivenUp = fault?.name === 'AbortError';
  const error = isGivenUp ? undefined : fault;
  const beside = useBeside(address.beside, address.besideOf, settings.texts);
  const formats = useMemo(
    () =>
      Object.fromEntries([
        ...formatsOnTheSpot(beside?.query),
        ...known.map((m) => [m.name, m.format ?? {}] as const),
        ...formatsOnTheSpot(query),
      ]),
    [beside?.query, known, query],
  );
  // Cells of one question are put together: those of another have other members.
  const of = JSON.stringify(cell?.of?.query ?? question);
  const answer = error || query.measures.length === 0 ? undefined : data;
  const note = answer
    ? `${many(answer.rows.length, 'row')}, ${Math.round(answer.elapsedMs)} ms${isCurrent ? '' : ' …'}`
    : '';

  const design = (
    <>
      <TrialHead address={address} answer={answer} note={note} settings={settings} onSettings={setSettings} />
      <Sentence query={query} perspective={perspective} onAsk={pose} />
      {address.queryFault !== undefined && (
        <Fault>
          The question in the address cannot be read; a default one is shown. {address.queryFault}
        </Fault>
      )}
      {isAsking && <Waiting key={JSON.stringify(asked)} onGiveUp={giveUp} />}
      {isGivenUp && (
        <p role="status" className="flex items-center gap-3 border-b border-rule px-4 py-1">
          The question was cancelled{data ? '; the answer below is of the one before' : ''}.
          <button className="btn" onClick={askAgain}>
            Ask again
          </button>
        </p>
      )}
      {error && <Fault>{error.message}</Fault>}
      {query.measures.length === 0 && (
        <Blank>
          {(model.measures ?? []).length === 0
            ? 'No measures yet: add one on the Measures stage, or draft a star on Intake.'
            : 'Choose a measure to show.'}
        </Blank>
      )}
      {address.rowsFault !== undefined && (
        <Fault>The rows in the address cannot be read; the answer is shown. {address.rowsFault}</Fault>
      )}
      {address.rows && (
        <RowsView query={asked} asked={address.rows} onAsk={askRows} onBack={() => askRows(undefined)} />
      )}
      {answer && !address.rows && (
        <AnswerBody
          address={address}
          answer={answer}
          question={question}
          asked={asked}
          beside={beside}
          settings={settings}
          formats={formats}
          chosen={cell}
          onCell={setCell}
        />
      )}
    </>
  );
  return (
    <Leaves
      label="Trial"
      design={design}
      evidence={
        <EvidenceLeaf>
          {!cell && data && !error && isCurrent && (
            <>
              <AboutAnswer answer={data} query={question} />
              <HowWorkedOut query={question} />
            </>
          )}
          {cell && data && (
            <CellEvidence
              cell={cell}
              query={cell.of?.query ?? question}
              answer={cell.of?.answer ?? data}
              onDrill={pose}
              onRows={(cells) => askRows({ cells: [...cells], ...(cell.of ? { query: cell.of.query } : {}) })}
              together={together.of === of ? together.cells : []}
              onTogether={(cells) => setTogether({ of, cells })}
            />
          )}
        </EvidenceLeaf>
      }
    />
  );
}

const Fault = ({ children }: { children: ReactNode }) => (
  <p role="alert" className="m-4 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
    {children}
  </p>
);

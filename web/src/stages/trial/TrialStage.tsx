import { lazy, Suspense, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { ChartColumn, Code, Columns2, Sheet } from 'lucide-react';
import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import { DocumentError, isShown, readCells, readQuery } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useAudience } from '../../state/told.ts';
import { useAsked } from '../../state/useAsked.ts';
import { useModel } from '../../state/model.tsx';
import { IconButton } from '../../parts/IconButton.tsx';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { many } from '../../parts/text.ts';
import { Sentence } from './Sentence.tsx';
import { AnswerTools } from './AnswerTools.tsx';
import { useAnswerSettings } from './answerSettings.ts';
import { AcrossTable } from './AcrossTable.tsx';
import { AboutAnswer } from './AboutAnswer.tsx';
import { AnswerTable } from './AnswerTable.tsx';
import { CompareTable } from './CompareTable.tsx';
import { askedFully, useBeside } from './useBeside.ts';
import { CellEvidence } from './CellEvidence.tsx';
import { KeptTrials } from './KeptTrials.tsx';
import type { AskedRows } from './RowsView.tsx';
import { RowsView } from './RowsView.tsx';
import type { ChosenCell } from './CellEvidence.tsx';
import { attributesOf, defaultAttribute } from './attributes.ts';

const AnswerSql = lazy(() => import('./AnswerSql.tsx'));
const AnswerChart = lazy(() => import('./AnswerChart.tsx'));

/** What an answer can be seen as; the first is shown where the address names none. */
const VIEWS = [
  { name: 'table', title: 'Table', Icon: Sheet },
  { name: 'chart', title: 'Chart', Icon: ChartColumn },
  { name: 'sql', title: 'SQL', Icon: Code },
] as const;

/** The query of the address, or what is wrong with it. */
function queryOf(text: string | null): { query?: Query; fault?: string } {
  if (text === null) return {};
  try {
    return { query: readQuery(text) };
  } catch (error) {
    if (error instanceof DocumentError) return { fault: error.message };
    throw error;
  }
}

/** The rows that the address asks for, or what is wrong with them. */
function rowsOf(text: string | null): { rows?: AskedRows; fault?: string } {
  if (text === null) return {};
  try {
    const { cells, listing, columns } = JSON.parse(text) as Record<string, unknown>;
    return {
      rows: {
        cells: readCells(JSON.stringify(cells)),
        ...(typeof listing === 'string' ? { listing } : {}),
        ...(Array.isArray(columns) ? { columns: columns.map(String) } : {}),
      },
    };
  } catch (error) {
    return { fault: (error as Error).message };
  }
}

/**
 * A trial: a question put to the model as a sentence, its answer as a table and a chart. The question is in
 * the address.
 */
export function TrialStage() {
  const { id, model, measures: known, state } = useModel();
  const [params, setParams] = useSearchParams();
  const [cell, setCell] = useState<ChosenCell>();
  const audience = params.get('as') ?? '';
  const perspective = useAudience();
  const first = useMemo((): Query => {
    const measures = known.filter(
      (m) => !m.hidden && (!perspective || isShown(perspective, 'measures', m.name)),
    );
    // An audience begins with what it sees.
    const seen = perspective ? attributesOf(model, perspective)[0]?.item : undefined;
    const by = perspective ? seen : defaultAttribute(model, measures[0]?.table);
    return {
      by: by === undefined ? [] : [by],
      measures: measures.slice(0, 1).map((m) => m.name),
      filters: [],
    };
  }, [model, known, perspective]);
  const address = queryOf(params.get('q'));
  const query = address.query ?? first;
  const view = VIEWS.find((v) => v.name === params.get('view')) ?? VIEWS[0]!;
  const set = (change: Record<string, string | undefined>) =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      for (const [key, value] of Object.entries(change)) {
        if (value === undefined || value === '') next.delete(key);
        else next.set(key, value);
      }
      return next;
    });
  const pose = (next: Query) => {
    setCell(undefined);
    set({ q: JSON.stringify(next), rows: undefined });
  };
  const { rows: rowsAsked, fault: rowsFault } = rowsOf(params.get('rows'));
  const askRows = (rows: AskedRows | undefined) => set({ rows: rows && JSON.stringify(rows) });

  const [settings, setSettings] = useAnswerSettings();
  const asked = askedFully(query);
  const {
    question = asked,
    answer: data,
    error,
    isCurrent,
  } = useAsked(
    query.measures.length > 0 ? ['query', id, state.revision.id, settings.texts] : undefined,
    asked,
    (q) => ask(api.questions.query, { id }, { query: q, texts: settings.texts }),
  );
  const beside = useBeside(params.get('beside'), settings.texts);
  const formats = Object.fromEntries([
    ...(beside?.query.measures ?? []).flatMap((m) =>
      typeof m !== 'string' && 'formula' in m ? [[m.name, m.format ?? {}] as const] : [],
    ),
    ...known.map((m) => [m.name, m.format ?? {}] as const),
    ...query.measures.flatMap((m) =>
      typeof m !== 'string' && 'formula' in m ? [[m.name, m.format ?? {}] as const] : [],
    ),
  ]);

  const design = (
    <>
      <LeafHead
        title="Trial"
        note={
          data && !error
            ? `${many(data.rows.length, 'row')}, ${Math.round(data.elapsedMs)} ms${isCurrent ? '' : ' …'}`
            : ''
        }
      >
        <label className="flex items-center gap-1 text-soft">
          as
          <select
            className="field max-w-[84px]"
            value={audience}
            onChange={(e) => set({ as: e.target.value, q: undefined })}
            aria-label="Audience"
          >
            <option value="">modeler</option>
            {(model.perspectives ?? []).map((p) => (
              <option key={p.name}>{p.name}</option>
            ))}
          </select>
        </label>
        <span className="flex" role="tablist" aria-label="View of the answer">
          {VIEWS.map(({ name, title, Icon }) => (
            <button
              key={name}
              role="tab"
              aria-selected={name === view.name}
              className={`btn ${name === view.name ? 'bg-ink text-leaf' : ''}`}
              onClick={() => set({ view: name === 'table' ? undefined : name })}
            >
              <Icon size={13} aria-hidden /> {title}
            </button>
          ))}
        </span>
        <KeptTrials
          query={query}
          view={view.name}
          onOpen={(trial) =>
            set({
              q: JSON.stringify(trial.query),
              rows: undefined,
              view: trial.view?.as === 'table' ? undefined : trial.view?.as,
            })
          }
        />
        <IconButton
          label="Compare with another question"
          disabled={!data || error !== undefined}
          onClick={() => set({ beside: JSON.stringify(query), view: undefined })}
        >
          <Columns2 size={14} aria-hidden />
        </IconButton>
        <AnswerTools answer={error ? undefined : data} settings={settings} onSettings={setSettings} />
      </LeafHead>
      <Sentence query={query} perspective={perspective} onAsk={pose} />
      {address.fault !== undefined && (
        <p
          role="alert"
          className="m-4 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
        >
          The question in the address cannot be read; a default one is shown. {address.fault}
        </p>
      )}
      {error && (
        <p
          role="alert"
          className="m-4 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
        >
          {error.message}
        </p>
      )}
      {query.measures.length === 0 && (
        <Blank>
          {(model.measures ?? []).length === 0
            ? 'No measures yet: add one on the Measures stage, or draft a star on Intake.'
            : 'Choose a measure to show.'}
        </Blank>
      )}
      {rowsFault !== undefined && (
        <p role="alert" className="m-4 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          The rows in the address cannot be read; the answer is shown. {rowsFault}
        </p>
      )}
      {rowsAsked && (
        <RowsView query={asked} asked={rowsAsked} onAsk={askRows} onBack={() => askRows(undefined)} />
      )}
      {!error &&
        !rowsAsked &&
        data &&
        query.measures.length > 0 &&
        (beside && view.name === 'table' ? (
          beside.answer ? (
            <CompareTable
              left={{ query: beside.query, answer: beside.answer }}
              right={{ query, answer: data }}
              formats={formats}
              onSwap={() =>
                set({ q: JSON.stringify(beside.query), beside: JSON.stringify(query), rows: undefined })
              }
              onEnd={() => set({ beside: undefined })}
            />
          ) : (
            <p role="alert" className="m-4">
              {beside.fault ?? 'Working …'}
            </p>
          )
        ) : view.name !== 'table' ? (
          <Suspense fallback={<p className="p-4 text-soft">Drawing …</p>}>
            {view.name === 'chart' ? (
              <AnswerChart
                answer={data}
                byCount={(question.by?.length ?? 0) + (question.across?.length ?? 0)}
                formats={formats}
              />
            ) : (
              <AnswerSql query={asked} />
            )}
          </Suspense>
        ) : (question.across?.length ?? 0) > 0 ? (
          <AcrossTable answer={data} query={question} formats={formats} chosen={cell} onCell={setCell} />
        ) : (
          <AnswerTable
            answer={data}
            query={question}
            formats={formats}
            chosen={cell}
            onCell={setCell}
            onSort={(sort) => pose({ ...query, sort })}
          />
        ))}
    </>
  );
  return (
    <Leaves
      label="Trial"
      design={design}
      evidence={
        <EvidenceLeaf>
          {!cell && data && !error && isCurrent && <AboutAnswer answer={data} query={question} />}
          {cell && data && (
            <CellEvidence
              cell={cell}
              query={question}
              answer={data}
              onDrill={pose}
              onRows={(one) => askRows({ cells: [one] })}
            />
          )}
        </EvidenceLeaf>
      }
    />
  );
}

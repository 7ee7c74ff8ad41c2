import { useId, useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '@crease/contract';
import type { Question, Table } from '@crease/core/model';
import { makeMeasures, offeredMeasures } from '@crease/core/propose';
import type { QuestionState } from '@crease/core/stars';
import { recognised } from '@crease/core/stars';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useSelection } from '../../state/selection.ts';
import { RoleMark, VerdictMark } from '../../parts/Marks.tsx';
import { grainExample, questionExample } from '../../parts/examples.ts';
import { many } from '../../parts/text.ts';
import { attributesOf } from '../trial/attributes.ts';

/**
 * The brief of each fact: its business process, its grain, and the Questions, with what is missing for them.
 */
export function Briefs() {
  const { id, model, state } = useModel();
  const { data, error } = useAnswer(
    api.questions.briefs,
    { id },
    { of: state.revision.id, keepPreviousData: true },
  );
  const facts = model.tables.filter((t) => t.role === 'fact');
  if (facts.length === 0)
    return <p className="p-4 text-soft">Briefs are about facts: choose on Shape which tables are facts.</p>;
  return (
    <div className="min-h-0 flex-1 overflow-auto">
      {error && <p className="p-4 text-vermilion">{error.message}</p>}
      {facts.map((f) => (
        <Brief key={f.name} fact={f} states={data?.[f.name] ?? []} />
      ))}
    </div>
  );
}

function Brief({ fact, states }: { fact: Table; states: readonly QuestionState[] }) {
  const { edit } = useModel();
  const [, select] = useSelection();
  const set = (change: object, says: string) =>
    void edit([{ do: 'set-table', table: fact.name, change }], says);
  const questions = fact.questions ?? [];
  // What is known of a question as it was put; one that has just been changed is judged anew.
  const known = new Map(states.map((s) => [JSON.stringify(s.question), s]));
  const answered = questions.filter((q) => known.get(JSON.stringify(q))?.answers).length;
  const put = (next: readonly Question[], says: string) => set({ questions: [...next] }, says);
  return (
    <section aria-label={`Brief of ${fact.name}`} className="border-b border-rule px-4 py-3">
      <h2 className="flex items-baseline gap-2 text-[15px]">
        <RoleMark role="fact" />
        <button className="hover:underline" onClick={() => select({ kind: 'table', name: fact.name })}>
          {fact.name}
        </button>
        {questions.length > 0 && (
          <span className="font-sans text-[13px] font-normal text-soft">
            answers {answered} of {many(questions.length, 'question')}
          </span>
        )}
      </h2>
      <div className="mt-2 grid grid-cols-[110px_1fr] items-center gap-x-3 gap-y-1">
        <Line
          label="Business process"
          value={fact.process ?? ''}
          hint="what happens that the rows record"
          onSave={(process) =>
            set(
              { process },
              process
                ? `set the process of ${fact.name} to ${process}`
                : `remove the process of ${fact.name}`,
            )
          }
        />
        <Line
          label="Grain"
          value={fact.grain ?? ''}
          hint={grainExample(fact)}
          onSave={(grain) =>
            set(
              { grain },
              grain ? `set the grain of ${fact.name} to ${grain}` : `remove the grain of ${fact.name}`,
            )
          }
        />
        <span className="text-soft">Key</span>
        <span>
          {fact.key?.length ? (
            fact.key.join(', ')
          ) : (
            <span className="text-vermilion">no key yet: set it on Shape</span>
          )}
        </span>
      </div>
      <OfferedMeasures fact={fact} />
      <p className="eyebrow mt-2">Questions</p>
      <ul>
        {questions.map((q, i) => (
          <QuestionLine
            key={`${i}${q.ask}`}
            question={q}
            state={known.get(JSON.stringify(q))}
            onChange={(q) =>
              put(
                questions.map((x, j) => (j === i ? q : x)),
                `change a question of ${fact.name}`,
              )
            }
            onRemove={() =>
              put(
                questions.filter((_, j) => j !== i),
                `remove a question of ${fact.name}`,
              )
            }
          />
        ))}
      </ul>
      <NewQuestion fact={fact} onAdd={(q) => put([...questions, q], `${fact.name} must answer: ${q.ask}`)} />
    </section>
  );
}

function Line({
  label,
  value,
  hint,
  onSave,
}: {
  label: string;
  value: string;
  hint: string;
  onSave: (text: string) => void;
}) {
  return (
    <label className="contents">
      <span className="text-soft">{label}</span>
      <input
        key={value}
        className="field"
        defaultValue={value}
        placeholder={`${hint}`}
        onBlur={(e) => e.target.value.trim() !== value && onSave(e.target.value.trim())}
        onKeyDown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
      />
    </label>
  );
}

/** A question with what the model lacks for it, or the trial that answers it. */
function QuestionLine({
  question,
  state,
  onChange,
  onRemove,
}: {
  question: Question;
  /** Undefined until it has been judged. */
  state: QuestionState | undefined;
  onChange: (question: Question) => void;
  onRemove: () => void;
}) {
  const navigate = useNavigate();
  const { id, model, edit } = useModel();
  const [open, setOpen] = useState(false);
  const {
    answers,
    missing,
    query,
    offered = [],
  }: Partial<QuestionState> & { missing: readonly string[] } = state ?? { answers: false, missing: [] };
  const { by = [], measures = [] } = question;
  return (
    <li className="border-t border-rule py-1 first:border-t-0">
      <div className="flex items-baseline gap-2">
        <span
          className="relative top-[1px]"
          title={!state ? 'Being judged' : answers ? 'The model answers it' : 'Something is missing'}
        >
          <VerdictMark verdict={!state ? 'unchecked' : answers ? 'holds' : 'broken'} size={11} />
        </span>
        <button className="min-w-0 flex-1 text-left" aria-expanded={open} onClick={() => setOpen(!open)}>
          {question.ask}
        </button>
        {query && (
          <button
            className="btn btn-bare h-[22px]"
            onClick={() => void navigate(`/m/${id}/trial?q=${encodeURIComponent(JSON.stringify(query))}`)}
          >
            Open in Trial
          </button>
        )}
        <button className="btn btn-bare h-[22px]" aria-label={`Remove: ${question.ask}`} onClick={onRemove}>
          ×
        </button>
      </div>
      {missing.length > 0 && <p className="pl-[19px] text-vermilion">{missing.join('; ')}</p>}
      {offered.map((m) => (
        <p key={m.name} className="flex items-baseline gap-2 pl-[19px]">
          <button
            className="btn h-[22px]"
            onClick={() =>
              void edit([{ do: 'put-measures', name: null, value: { ...m } }], `add the measure ${m.name}`)
            }
          >
            Add measure {m.name}
          </button>
          <code className="text-soft">{m.formula}</code>
        </p>
      ))}
      {open && (
        <div className="flex flex-wrap items-center gap-1 py-1 pl-[19px]">
          <span className="text-soft">shows</span>
          <Chips
            names={measures}
            onRemove={(name) => onChange({ ...question, measures: measures.filter((m) => m !== name) })}
          />
          <Adder
            label="Add a measure"
            options={(model.measures ?? []).map((m) => m.name)}
            onAdd={(name) => onChange({ ...question, measures: [...measures, name] })}
          />
          <span className="text-soft">by</span>
          <Chips
            names={by}
            onRemove={(name) => onChange({ ...question, by: by.filter((b) => b !== name) })}
          />
          <Adder
            label="Add a column or level"
            options={attributeNames(model)}
            onAdd={(name) => onChange({ ...question, by: [...by, name] })}
          />
        </div>
      )}
    </li>
  );
}

const attributeNames = (model: Parameters<typeof attributesOf>[0]): string[] =>
  attributesOf(model).flatMap(({ item }) =>
    typeof item === 'string' ? [item] : 'level' in item ? [`${item.hierarchy}.${item.level}`] : [],
  );

function Chips({ names, onRemove }: { names: readonly string[]; onRemove: (name: string) => void }) {
  return names.map((name) => (
    <button key={name} className="btn h-[22px] px-2" title="Remove" onClick={() => onRemove(name)}>
      {name} <span aria-hidden>×</span>
    </button>
  ));
}

/** A name of a list, or one that is not there yet: what a question needs may still have to be made. */
function Adder({
  label,
  options,
  onAdd,
}: {
  label: string;
  options: readonly string[];
  onAdd: (name: string) => void;
}) {
  const [text, setText] = useState('');
  const id = useId();
  const add = () => {
    if (text.trim() === '') return;
    onAdd(text.trim());
    setText('');
  };
  return (
    <>
      <input
        className="field h-[22px] w-[130px]"
        aria-label={label}
        placeholder="add …"
        list={id}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={add}
        onKeyDown={(e) => e.key === 'Enter' && add()}
      />
      <datalist id={id}>
        {options.map((o) => (
          <option key={o} value={o} />
        ))}
      </datalist>
    </>
  );
}

function NewQuestion({ fact, onAdd }: { fact: Table; onAdd: (question: Question) => void }) {
  const { model } = useModel();
  const [ask, setAsk] = useState('');
  const found = useMemo(() => recognised(model, ask), [model, ask]);
  const named = [...(found.measures ?? []), ...(found.by ?? [])];
  return (
    <form
      className="mt-1 flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (ask.trim() === '') return;
        onAdd({
          ask: ask.trim(),
          ...(found.by?.length ? { by: found.by } : {}),
          ...(found.measures?.length ? { measures: found.measures } : {}),
        });
        setAsk('');
      }}
    >
      <input
        className="field min-w-[240px] flex-1"
        aria-label="A new question"
        placeholder={questionExample(model, fact)}
        value={ask}
        onChange={(e) => setAsk(e.target.value)}
      />
      <button className="btn" disabled={ask.trim() === ''}>
        Add
      </button>
      {ask.trim() !== '' && (
        <span className="w-full text-soft">
          {named.length > 0
            ? `understood: ${named.join(', ')}`
            : 'no name of the model in it yet; add them afterwards'}
        </span>
      )}
    </form>
  );
}

/**
 * Quantities of a fact that no measure stands for, as measures in one step; names that are taken get the
 * fact's behind them.
 */
function OfferedMeasures({ fact }: { fact: Table }) {
  const { model, edit } = useModel();
  const offered = useMemo(() => offeredMeasures(model, fact), [model, fact]);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  if (offered.length === 0) return null;
  const chosen = offered.filter((o) => !left.has(o.measure.name));
  return (
    <details className="mt-2">
      <summary className="cursor-pointer">
        <b>{many(offered.length, 'measure')}</b> proposed for its rows and quantities
      </summary>
      <ul className="my-1 pl-4">
        {offered.map((o) => (
          <li key={o.measure.name}>
            <label className="flex items-baseline gap-2">
              <input
                type="checkbox"
                checked={!left.has(o.measure.name)}
                onChange={(e) =>
                  setLeft((s) =>
                    e.target.checked
                      ? new Set([...s].filter((n) => n !== o.measure.name))
                      : new Set([...s, o.measure.name]),
                  )
                }
              />
              <span className="font-semibold">{o.measure.name}</span>{' '}
              <code className="text-soft">{o.measure.formula}</code>
              {o.clash && <span className="text-soft">“{o.clash}” is taken</span>}
            </label>
          </li>
        ))}
      </ul>
      <button
        className="btn btn-act"
        disabled={chosen.length === 0}
        onClick={() => void edit(makeMeasures(chosen), `${many(chosen.length, 'measure')} for ${fact.name}`)}
      >
        Make {many(chosen.length, 'measure')}
      </button>
    </details>
  );
}

import { useState } from 'react';
import { api } from '@crease/contract';
import type { ListedCorrection } from '@crease/core/corrections';
import { sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useAuthor } from '../../state/author.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { formatValue } from '../../parts/format.ts';
import { moment } from '../../parts/text.ts';

type Json = null | boolean | number | string;

/** A value of one row that is corrected. */
export interface CorrectedPlace {
  /** `table.column`. */
  readonly of: string;
  readonly type: string;
  /** Of the row. */
  readonly key: readonly Json[];
  readonly value: Json;
  /** What its source has. */
  readonly read: Json;
}

/** Enters another value for one row, and lists what has been entered for it so far. */
export function CorrectValue({ of, onDone }: { of: CorrectedPlace; onDone: () => void }) {
  const { id, fail, tell } = useModel();
  const [author, setAuthor, keepAuthor] = useAuthor();
  const [value, setValue] = useState(() => (of.value === null ? '' : String(of.value)));
  const [comment, setComment] = useState('');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [isBusy, setBusy] = useState(false);
  const [fault, setFault] = useState<string>();
  const { data, mutate } = useAnswer(api.corrections.get, { id, of: of.of });
  const history = (data?.find((list) => sameName(list.of, of.of))?.entries ?? []).filter(
    (entry) => JSON.stringify(entry.key) === JSON.stringify(of.key),
  );
  const shown = of.value === null ? '' : String(of.value);
  const isNothing = value === shown && comment.trim() === '' && from === '' && to === '';
  const enter = async () => {
    setBusy(true);
    setFault(undefined);
    const by = keepAuthor();
    try {
      await ask(
        api.corrections.add,
        { id },
        {
          of: of.of,
          ...(by ? { author: by } : {}),
          entries: [
            {
              key: [...of.key],
              value: value === '' ? null : value,
              ...(comment.trim() ? { comment: comment.trim() } : {}),
              ...(from ? { from } : {}),
              ...(to ? { to } : {}),
            },
          ],
        },
      );
      await mutate();
      tell({ tone: 'plain', text: `${of.of} of ${of.key.join(', ')} is ${value || 'null'} now` });
      onDone();
    } catch (error) {
      if (error instanceof Error) setFault(error.message);
      else fail(error);
      setBusy(false);
    }
  };
  return (
    <aside
      aria-label="Correct a value"
      className="flex w-[320px] shrink-0 flex-col gap-2 overflow-auto border-l border-rule-strong p-4"
      onKeyDown={(event) => event.key === 'Escape' && onDone()}
    >
      <h3 className="text-[14px]">
        Correct {of.of} of {of.key.join(', ')}
      </h3>
      <p className="text-soft">
        Read: <b className="num">{of.read === null ? 'null' : formatValue(of.read, of.type)}</b>
      </p>
      <form
        className="flex flex-col gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void enter();
        }}
      >
        <label className="flex flex-col">
          <span className="text-soft">value ({of.type}; empty for null)</span>
          <input
            autoFocus
            className="field"
            value={value}
            onFocus={(e) => e.target.select()}
            onChange={(e) => setValue(e.target.value)}
          />
        </label>
        <label className="flex flex-col">
          <span className="text-soft">comment</span>
          <input
            className="field"
            value={comment}
            maxLength={2000}
            onChange={(e) => setComment(e.target.value)}
          />
        </label>
        <ValidDays from={from} setFrom={setFrom} to={to} setTo={setTo} />
        <label className="flex flex-col">
          <span className="text-soft">who (written down, not checked)</span>
          <input className="field" value={author} onChange={(e) => setAuthor(e.target.value)} />
        </label>
        {fault && (
          <p role="alert" className="border-l-4 border-vermilion bg-vermilion-wash px-2 py-1">
            {fault}
          </p>
        )}
        <div className="flex gap-2">
          <button className="btn" disabled={isBusy || isNothing}>
            {isBusy ? 'Entering …' : 'Enter'}
          </button>
          <button type="button" className="btn btn-bare" onClick={onDone}>
            Cancel
          </button>
        </div>
      </form>
      {history.length > 0 && <ValueHistory history={history} of={of} />}
    </aside>
  );
}

const STATES: Readonly<Record<ListedCorrection['state'], string>> = {
  stands: 'counts now',
  replaced: 'replaced by a newer one',
  'other days': 'holds on other days',
  'changes nothing': 'changes nothing',
};

function HistoryLine({ entry, type }: { entry: ListedCorrection; type: string }) {
  const { value, author, at, comment, from, to, state } = entry;
  const days = from || to ? ` (${from ?? '…'} to ${to ?? '…'})` : '';
  return (
    <li className="border-l-2 border-rule pl-2">
      <b className="num">{value === null ? 'null' : formatValue(value, type)}</b>
      {days}
      {comment && <span> {comment}</span>}
      <span className="block text-soft">
        {author ?? 'nobody named'}
        {at && `, ${Number.isNaN(Date.parse(at)) ? at : moment(at)}`} · {STATES[state]}
      </span>
    </li>
  );
}

/** From when until when the correction holds. */
function ValidDays({
  from,
  setFrom,
  to,
  setTo,
}: {
  from: string;
  setFrom: (next: string) => void;
  to: string;
  setTo: (next: string) => void;
}) {
  return (
    <div className="flex gap-2">
      <label className="flex min-w-0 flex-1 flex-col">
        <span className="text-soft">from (first day)</span>
        <input type="date" className="field" value={from} onChange={(e) => setFrom(e.target.value)} />
      </label>
      <label className="flex min-w-0 flex-1 flex-col">
        <span className="text-soft">to (last day)</span>
        <input type="date" className="field" value={to} onChange={(e) => setTo(e.target.value)} />
      </label>
    </div>
  );
}

/** What has been entered for the value so far. */
function ValueHistory({ history, of }: { history: readonly ListedCorrection[]; of: CorrectedPlace }) {
  return (
    <section aria-label="History of the value">
      <h4 className="mt-2 text-soft">Entered so far, newest first</h4>
      <ol className="flex flex-col gap-1">
        {[...history].reverse().map((entry, i) => (
          <HistoryLine key={i} entry={entry} type={of.type} />
        ))}
      </ol>
    </section>
  );
}

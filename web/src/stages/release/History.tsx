import { useMemo, useState } from 'react';
import type { HistoryEntry } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import type { ModelChange } from '@crease/core/changes';
import { Dependents } from '@crease/core/changes';
import { checkerOf } from '../../parts/checkers.ts';
import { ask } from '../../state/api.ts';
import { useAuthor } from '../../state/author.ts';
import { useModel } from '../../state/model.tsx';
import { useParam } from '../../state/selection.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { drawnAtOnce, InChunks } from '../../parts/InChunks.tsx';
import { impactText } from '../../parts/impactText.ts';
import { moment } from '../../parts/text.ts';

/** About how high a revision is, in pixels. */
const ROW_HEIGHT = 29;

/** Every saved state of the model, the newest first; one that is opened is compared with what is now. */
export function History({ entries }: { entries: readonly HistoryEntry[] }) {
  const [open, setOpen] = useParam('revision');
  const [author, setAuthor, keepAuthor] = useAuthor();
  const at = entries.findIndex((h) => open === String(h.id));
  // One that an address opens is drawn, however old it is.
  const drawn = Math.max(drawnAtOnce([entries.length])[0]!, at + 1);
  return (
    <section aria-label="History">
      <header className="flex min-h-[42px] items-center gap-3 border-b border-rule px-4 py-2">
        <h2 className="text-[15px]">History</h2>
        <span className="flex-1" />
        <label className="flex items-center gap-1 text-soft" title="Written down with what you change">
          you are
          <input
            className="field h-[24px] w-[130px]"
            value={author}
            placeholder="your name"
            onChange={(e) => setAuthor(e.target.value)}
            onBlur={keepAuthor}
          />
        </label>
      </header>
      <ol>
        <InChunks list={entries} rowHeight={ROW_HEIGHT} drawn={drawn} as="li">
          {(h) => {
            const isOpen = open === String(h.id);
            return (
              <li key={h.id} className="border-b border-rule">
                <button
                  className={`rowlink flex gap-3 px-4 py-[4px] ${h.isHead ? 'font-semibold' : ''}`}
                  aria-expanded={isOpen}
                  onClick={() => setOpen(isOpen ? undefined : String(h.id))}
                >
                  <span className="num w-[28px] shrink-0 text-soft">{h.number}</span>
                  <span className="min-w-0 flex-1 text-left break-words">
                    {h.name !== '' && <b>{h.name}: </b>}
                    {h.says}
                    {h.author !== '' && <span className="font-normal text-soft"> · {h.author}</span>}
                    {h.isHead && ' · current'}
                  </span>
                  <span className="shrink-0 text-soft">{moment(h.at)}</span>
                </button>
                {isOpen && <Opened entry={h} />}
              </li>
            );
          }}
        </InChunks>
      </ol>
    </section>
  );
}

const SIGNS: Readonly<Record<ModelChange['change'], string>> = {
  added: '+',
  removed: '−',
  changed: '~',
  renamed: '→',
};

/** A revision that is opened: to read, to name, and against what is now. */
function Opened({ entry }: { entry: HistoryEntry }) {
  const { id, audience, fail } = useModel();
  const { mutate } = useAnswer(api.models.history, { id });
  const [name, setName] = useState(entry.name);
  const of = { id, revision: entry.id };
  const save = () => void ask(api.models.nameRevision, of, { name: name.trim() }).then(() => mutate(), fail);
  return (
    <>
      <form
        className="flex flex-wrap items-center gap-2 px-4 pb-2 pl-[56px]"
        onSubmit={(event) => {
          event.preventDefault();
          save();
        }}
      >
        {!audience && (
          <>
            <input
              className="field h-[24px] w-[170px]"
              aria-label={`Name of revision ${entry.number}`}
              placeholder="name, such as before the merger"
              maxLength={100}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <button className="btn h-[24px]" disabled={name.trim() === entry.name}>
              Name it
            </button>
          </>
        )}
        <a
          className="underline"
          target="_blank"
          rel="noreferrer"
          href={`/api${addressOf(api.models.revisionPage, of)}`}
        >
          Read it
        </a>
        <a className="underline" href={`/api${addressOf(api.models.revisionFile, of)}`}>
          Model file
        </a>
      </form>
      {!entry.isHead && <Since entry={entry} />}
    </>
  );
}

/** What became of each object since a revision, and a way back to it. */
function Since({ entry }: { entry: HistoryEntry }) {
  const { id, model, state, audience, fail, tell } = useModel();
  const { data, error } = useAnswer(
    api.models.changes,
    { id, revision: entry.id },
    { of: state.revision.id, keepPreviousData: true },
  );
  const dependents = useMemo(() => new Dependents(model, checkerOf(model)), [model]);
  const restore = async () => {
    try {
      await ask(api.models.restore, { id, revision: entry.id }, { base: state.revision.id });
      tell({ tone: 'plain', text: `Revision ${entry.number} restored; rows stay`, undo: true });
    } catch (reason) {
      fail(reason);
    }
  };
  return (
    <div className="px-4 pb-3 pl-[56px]" role="region" aria-label={`Changes since revision ${entry.number}`}>
      {error && <p className="text-vermilion">{error.message}</p>}
      {data?.length === 0 && <p className="text-soft">The model is the same now.</p>}
      <ul className="flex flex-col gap-1">
        {data?.map((change) => (
          <ChangeLine
            key={`${change.kind} ${change.name} ${change.change}`}
            change={change}
            dependents={dependents.of(change)}
          />
        ))}
      </ul>
      {data && data.length > 0 && <Impact revision={entry.id} />}
      {data && data.length > 0 && !audience && (
        <button className="btn mt-2 h-[24px]" onClick={() => void restore()}>
          Restore revision {entry.number}
        </button>
      )}
    </div>
  );
}

/** What the kept trials answered then and answer now, once somebody asks. */
function Impact({ revision }: { revision: number }) {
  const { id, model, state } = useModel();
  const [asked, setAsked] = useState(false);
  const { data, error } = useAnswer(api.models.impact, asked ? { id, revision } : undefined, {
    of: state.revision.id,
    keepPreviousData: true,
  });
  if ((model.trials ?? []).length === 0) return null;
  if (!asked)
    return (
      <button className="btn mt-2 mr-2 h-[24px]" onClick={() => setAsked(true)}>
        Compare what kept trials answer
      </button>
    );
  return (
    <section aria-label="Kept trials then and now" className="mt-2">
      <b>Kept trials, on the rows of now</b>
      {error && <p className="text-vermilion">{error.message}</p>}
      {!data && !error && <p className="text-soft">Asking …</p>}
      <ul>
        {data?.map(({ trial, change, fault }) => (
          <li key={trial}>
            {trial}: {fault ?? (change && impactText(change))}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** So many are named of what depends on an object. */
const MOST_NAMED = 8;

function ChangeLine({
  change: { kind, name, change, was, now, guess },
  dependents,
}: {
  change: ModelChange;
  dependents: readonly string[];
}) {
  const more = dependents.length - MOST_NAMED;
  return (
    <li>
      <span aria-hidden className="code mr-2">
        {SIGNS[change]}
      </span>
      {kind} <b>{name}</b>{' '}
      <span className="text-soft">
        {change === 'renamed' ? `was ${String(was)}${guess ? ', as it seems' : ''}` : change}
      </span>
      {change === 'changed' && <Fields was={was as Fields} now={now as Fields} />}
      {dependents.length > 0 && (
        <p className="ml-[22px] text-soft" title={dependents.join(', ')}>
          used by {dependents.slice(0, MOST_NAMED).join(', ')}
          {more > 0 ? ` and ${more} more` : ''}
        </p>
      )}
    </li>
  );
}

type Fields = Readonly<Record<string, unknown>>;
const text = (value: unknown): string =>
  value === undefined ? 'none' : typeof value === 'string' ? value : JSON.stringify(value);

/** Fields that differ, one below the other, so that formulas can be compared. */
function Fields({ was, now }: { was: Fields; now: Fields }) {
  const fields = [...new Set([...Object.keys(was), ...Object.keys(now)])];
  return (
    <dl className="ml-[22px]">
      {fields.map((field) => (
        <div key={field}>
          <dt className="text-soft">{field}</dt>
          <dd>
            <span className="code block break-words text-soft line-through">{text(was[field])}</span>
            <span className="code block break-words">{text(now[field])}</span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

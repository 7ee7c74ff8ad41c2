import { useState } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Bookmark } from 'lucide-react';
import { api } from '@crease/contract';
import type { Query, Trial } from '@crease/core/model';
import { freeName, sameName } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import type { ChartView } from './chart/forms.ts';
import { keptView } from './chart/forms.ts';

type View = NonNullable<NonNullable<Trial['view']>['as']>;

/** Trials that are kept with the model: to open, to keep the shown one, and to say that it is right. */
export function KeptTrials({
  query,
  view,
  chart,
  onOpen,
}: {
  query: Query;
  view: View;
  chart: ChartView;
  onOpen: (trial: Trial) => void;
}) {
  const { id, model, edit, fail } = useModel();
  const trials = model.trials ?? [];
  const shown = trials.find((t) => JSON.stringify(t.query) === JSON.stringify(query));
  const [name, setName] = useState('');
  const [folder, setFolder] = useState('');
  const folders = Map.groupBy(trials, (t) => t.folder ?? '');
  const keep = () => {
    const known = trials.find((t) => sameName(t.name, name.trim()));
    const value: Trial = {
      ...(known?.title === undefined ? {} : { title: known.title }),
      name: known?.name ?? freeName(name.trim(), trials),
      ...(folder.trim() === '' ? {} : { folder: folder.trim() }),
      query,
      ...(view === 'table' ? {} : { view: { as: view, ...(view === 'chart' ? keptView(chart) : {}) } }),
    };
    void edit(
      [{ do: 'put-trials', name: known?.name ?? null, value }],
      known ? `keep ${value.name} as it is asked now` : `keep the trial ${value.name}`,
    ).then((done) => done && setName(''));
  };
  /** The answer of the trial's own question: what the screen adds to it is no part of it. */
  const isRight = async (trial: Trial) => {
    const taken = (model.knownAnswers ?? []).find(
      (k) => k.trial !== undefined && sameName(k.trial, trial.name),
    );
    try {
      const { rows } = await ask(api.questions.query, { id }, { query: trial.query });
      const value = {
        name: taken?.name ?? freeName(trial.name, model.knownAnswers ?? []),
        trial: trial.name,
        rows: rows.map((row) => [...row]),
      };
      await edit([{ do: 'put-known-answer', value }], `the answer of ${trial.name} is right`);
    } catch (error) {
      fail(error);
    }
  };
  return (
    <Popover className="relative">
      <PopoverButton className="btn btn-bare" aria-label="Kept trials" title="Kept trials">
        <Bookmark size={14} aria-hidden fill={shown ? 'currentColor' : 'none'} />
      </PopoverButton>
      <PopoverPanel
        anchor="bottom end"
        className="z-40 flex max-h-[70vh] w-[330px] flex-col gap-2 overflow-auto border border-ink bg-raised p-3 text-[13px]"
      >
        {({ close }) => (
          <>
            {trials.length === 0 && (
              <p className="text-soft">No trial is kept yet. A kept trial has a name and opens from here.</p>
            )}
            {[...folders].map(([title, list]) => (
              <section key={title} aria-label={title || 'Without a folder'}>
                {title !== '' && <h3 className="eyebrow">{title}</h3>}
                {list.map((trial) => (
                  <KeptTrialRow key={trial.name} trial={trial} shown={shown} onOpen={onOpen} close={close} />
                ))}
              </section>
            ))}
            {shown && (
              <p className="border-t border-rule pt-2">
                <button className="btn" onClick={() => void isRight(shown)}>
                  This answer is right
                </button>{' '}
                <span className="text-soft">A claim holds later answers against it.</span>
              </p>
            )}
            <KeepForm
              name={name}
              keep={keep}
              shown={shown}
              query={query}
              setName={setName}
              folder={folder}
              setFolder={setFolder}
            />
          </>
        )}
      </PopoverPanel>
    </Popover>
  );
}

/** A kept trial: opens it, removes it. */
function KeptTrialRow({
  trial,
  shown,
  onOpen,
  close,
}: {
  trial: Trial;
  shown: Trial | undefined;
  onOpen: (trial: Trial) => void;
  close: () => void;
}) {
  const { edit } = useModel();
  return (
    <p className="flex items-center">
      <button
        className={`flex-1 truncate text-left hover:underline ${trial === shown ? 'font-semibold' : ''}`}
        title={trial.name}
        onClick={() => {
          onOpen(trial);
          close();
        }}
      >
        {trial.title ?? trial.name}
      </button>
      <button
        className="btn btn-bare h-[22px]"
        aria-label={`Remove the trial ${trial.name}`}
        onClick={() =>
          void edit([{ do: 'remove-trials', name: trial.name }], `remove the trial ${trial.name}`)
        }
      >
        ×
      </button>
    </p>
  );
}

/** Keeps the question under a name, or as a known answer. */
function KeepForm({
  name,
  keep,
  shown,
  query,
  setName,
  folder,
  setFolder,
}: {
  name: string;
  keep: () => void;
  shown: Trial | undefined;
  query: Query;
  setName: (next: string) => void;
  folder: string;
  setFolder: (next: string) => void;
}) {
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-t border-rule pt-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (name.trim() !== '') keep();
      }}
    >
      <input
        className="field w-[150px]"
        aria-label="Name of the trial"
        placeholder={shown?.name ?? query.measures.filter((m) => typeof m === 'string')[0] ?? 'a name'}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        className="field w-[90px]"
        aria-label="Folder of the trial"
        placeholder="folder"
        value={folder}
        onChange={(e) => setFolder(e.target.value)}
      />
      <button className="btn" disabled={name.trim() === ''}>
        Keep
      </button>
    </form>
  );
}

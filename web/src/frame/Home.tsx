import { useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { FilePlus2, FolderInput, Trash2 } from 'lucide-react';
import type { ModelSummary } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { useAnswer } from '../state/useAnswer.ts';
import { count, many, moment } from '../parts/text.ts';
import { dropFiles, filesOfDrop } from '../state/dropped.ts';
import { VerdictMark } from '../parts/Marks.tsx';
import './theme.ts';

const nameOf = ({ name }: File): string =>
  name.replace(/(\.(csv|tsv|txt|gz|parquet|crease|json))+$/i, '') || name;

/**
 * The models of the workspace with their verdicts; a model is made by its title, from dropped files, or from
 * a model file.
 */
export function Home() {
  const {
    data: models,
    error,
    mutate,
  } = useAnswer(
    api.models.list,
    {},
    {
      revalidateOnFocus: true,
      // Until the verdicts of all are there.
      refreshInterval: (all) =>
        all?.some((m) => m.claims && !m.claims.done && m.claims.failure === undefined) ? 1_000 : 0,
    },
  );
  const [title, setTitle] = useState('');
  const [wrong, setWrong] = useState<string>();
  const navigate = useNavigate();
  const file = useRef<HTMLInputElement>(null);

  const begin = async (work: () => Promise<{ id: number }>, stage: string) => {
    try {
      const { id } = await work();
      void navigate(`/m/${id}/${stage}`);
    } catch (reason) {
      setWrong((reason as Error).message);
    }
  };
  const [busy, setBusy] = useState(false);
  const addDemo = async () => {
    setBusy(true);
    await begin(() => ask(api.models.addDemo, {}), 'stars');
    setBusy(false);
  };
  const dropped = async (files: readonly File[]) => {
    const [modelFile] = files.filter((f) => f.name.toLowerCase().endsWith('.json'));
    if (modelFile) return read(modelFile);
    const [first] = files;
    if (!first) return;
    dropFiles(files);
    await begin(() => ask(api.models.create, {}, { title: nameOf(first) }), 'intake');
  };
  const read = async (chosen: File | undefined) => {
    if (chosen)
      await begin(async () => ask(api.models.importFile, {}, { text: await chosen.text() }), 'intake');
    if (file.current) file.current.value = '';
  };
  const drop = async (model: ModelSummary) => {
    if (
      !window.confirm(
        `Remove ${model.title} with its rows and its history from this workspace? This cannot be undone.`,
      )
    )
      return;
    await ask(api.models.remove, { id: model.id }).then(
      () => mutate(),
      (reason: Error) => setWrong(reason.message),
    );
  };

  return (
    <div
      className="mx-auto flex min-h-full max-w-[860px] flex-col px-6 py-10"
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        void filesOfDrop(e.dataTransfer).then(dropped);
      }}
    >
      <header className="mb-8 flex items-center gap-4">
        <img src="/mark.svg" width={44} height={44} alt="" />
        <div>
          <h1 className="text-[26px] leading-8">Crease</h1>
          <p className="font-serif text-[14px] text-soft">
            A model is a set of claims about data. Hold every claim against the data before anybody relies on
            it.
          </p>
        </div>
      </header>
      {(wrong ?? error) && (
        <p
          role="alert"
          className="mb-4 whitespace-pre-line border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
        >
          {wrong ?? error?.message}
        </p>
      )}
      <section aria-label="Models" className="border border-rule-strong bg-leaf">
        {models?.length === 0 && (
          <div className="flex items-center gap-6 p-6">
            <p className="flex-1 font-serif text-soft">
              No models yet. Drop files of tables here, create an empty model, or import a model file. The
              demo is a made-up library consortium with planted flaws.
            </p>
            <button className="btn" disabled={busy} onClick={() => void addDemo()}>
              {busy ? 'Adding the demo …' : 'Add the demo'}
            </button>
          </div>
        )}
        <ul>
          {(models ?? []).map((model) => (
            <ModelRow key={model.id} model={model} drop={drop} />
          ))}
        </ul>
      </section>
      <NewModel begin={begin} title={title} setTitle={setTitle} file={file} read={read} />
    </div>
  );
}

const SHOWN = ['broken', 'unchecked', 'waived', 'holds'] as const;

/** How many claims of a model have which verdict. */
function Verdicts({ claims }: { claims: ModelSummary['claims'] }) {
  if (!claims) return null;
  if (claims.failure !== undefined)
    return (
      <span className="min-w-0 shrink truncate text-vermilion" title={claims.failure}>
        judging failed
      </span>
    );
  if (!claims.done) return <span className="shrink-0 text-soft">judging …</span>;
  return (
    <span className="flex shrink-0 gap-3" aria-label="Verdicts">
      {SHOWN.filter((v) => claims.summary[v] > 0).map((v) => (
        <span key={v} className="flex items-baseline gap-1" title={`${count(claims.summary[v])} ${v}`}>
          <VerdictMark verdict={v} size={10} /> {count(claims.summary[v])}
        </span>
      ))}
    </span>
  );
}

/** A model of the workspace: its size, its verdicts, what changed last. */
function ModelRow({ model, drop }: { model: ModelSummary; drop: (model: ModelSummary) => Promise<void> }) {
  return (
    <li className="flex items-center border-b border-rule last:border-b-0">
      <Link to={`/m/${model.id}/stars`} className="rowlink flex flex-1 items-baseline gap-4 px-4 py-3">
        <span className="font-serif text-[15px] font-semibold">{model.title}</span>
        {model.fault === undefined ? (
          <>
            <span className="text-soft">{many(model.tables, 'table')}</span>
            <span className="text-soft">{many(model.rows, 'row')}</span>
            <Verdicts claims={model.claims} />
            <span className="min-w-0 flex-1 truncate text-right text-soft" title={model.says}>
              {model.says}
            </span>
            <span className="shrink-0 text-soft">{moment(model.changedAt)}</span>
          </>
        ) : (
          <span className="min-w-0 flex-1 truncate text-vermilion" title={model.fault}>
            cannot be read: {model.fault}
          </span>
        )}
      </Link>
      <button
        className="btn btn-bare mr-2"
        onClick={() => void drop(model)}
        aria-label={`Remove ${model.title}`}
        title="Remove"
      >
        <Trash2 size={14} aria-hidden />
      </button>
    </li>
  );
}

/** Begins a model: with a name, or from a model file. */
function NewModel({
  begin,
  title,
  setTitle,
  file,
  read,
}: {
  begin: (work: () => Promise<{ id: number }>, stage: string) => Promise<void>;
  title: string;
  setTitle: (next: string) => void;
  file: React.RefObject<HTMLInputElement | null>;
  read: (chosen: File | undefined) => Promise<void>;
}) {
  return (
    <div className="mt-5 flex flex-wrap gap-3">
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void begin(() => ask(api.models.create, {}, { title }), 'intake');
        }}
      >
        <input
          className="field w-[260px]"
          value={title}
          onChange={(e) => setTitle(e.target.value)}
          placeholder="Title of a new model"
          aria-label="Title of a new model"
        />
        <button className="btn btn-act" disabled={title.trim() === ''}>
          <FilePlus2 size={14} aria-hidden /> Create
        </button>
      </form>
      <span className="flex-1" />
      <input
        ref={file}
        type="file"
        accept=".json"
        className="sr-only"
        id="model-file"
        onChange={(e) => void read(e.target.files?.[0])}
      />
      <label htmlFor="model-file" className="btn cursor-pointer">
        <FolderInput size={14} aria-hidden /> Import model file
      </label>
    </div>
  );
}

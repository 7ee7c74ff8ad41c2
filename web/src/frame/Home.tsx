import { useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { FilePlus2, FolderInput, Trash2 } from 'lucide-react';
import type { ModelSummary } from '@crease/contract';
import { api } from '@crease/contract';
import { ask } from '../state/api.ts';
import { useAnswer } from '../state/useAnswer.ts';
import { many, moment } from '../parts/text.ts';
import './theme.ts';

/** The models of the workspace; begin one, or read one from a file. */
export function Home() {
  const { data: models, error, mutate } = useAnswer(api.models.list, {}, { revalidateOnFocus: true });
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
    <div className="mx-auto flex min-h-full max-w-[860px] flex-col px-6 py-10">
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
          <p className="p-6 font-serif text-soft">
            No model yet. Begin one and bring in your tables, or read a model file.
          </p>
        )}
        <ul>
          {(models ?? []).map((model) => (
            <li key={model.id} className="flex items-center border-b border-rule last:border-b-0">
              <Link
                to={`/m/${model.id}/stars`}
                className="rowlink flex flex-1 items-baseline gap-4 px-4 py-3"
              >
                <span className="font-serif text-[15px] font-semibold">{model.title}</span>
                {model.fault === undefined ? (
                  <>
                    <span className="text-soft">{many(model.tables, 'table')}</span>
                    <span className="text-soft">{many(model.rows, 'row')}</span>
                    <span className="flex-1" />
                    <span className="text-soft">{moment(model.changedAt)}</span>
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
          ))}
        </ul>
      </section>
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
            <FilePlus2 size={14} aria-hidden /> Begin
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
          <FolderInput size={14} aria-hidden /> Read a model file
        </label>
      </div>
    </div>
  );
}

import { useRef, useState } from 'react';
import type { CorrectionsState } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { correctedColumn } from '@crease/core/corrections';
import { columnPath } from '@crease/core/formula';
import type { Model } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAnswer } from '../../state/useAnswer.ts';
import { count, many } from '../../parts/text.ts';

/** Columns of which values can be corrected. */
const correctable = (model: Model): string[] =>
  model.tables.flatMap((table) =>
    table.columns
      .map((column) => columnPath(table.name, column.name))
      .filter((path) => !('refusal' in correctedColumn(model, path))),
  );

/** Values that people have entered over those that were read: by column, to and from files. */
export function CorrectionsSection() {
  const { id, model, fail, tell, edit } = useModel();
  const { data, error, mutate } = useAnswer(api.corrections.get, { id });
  const [of, setOf] = useState('');
  const file = useRef<HTMLInputElement>(null);
  const [target, setTarget] = useState<{ of: string; mode: 'add' | 'replace' }>();
  const choose = (next: { of: string; mode: 'add' | 'replace' }) => {
    setTarget(next);
    file.current?.click();
  };
  const read = async (chosen: File | undefined) => {
    if (!chosen || !target) return;
    try {
      const { added, unreadable } = await ask(
        api.corrections.read,
        { id },
        { ...target, text: await chosen.text() },
      );
      await mutate();
      const faulty = unreadable > 0 ? `, ${count(unreadable)} of them cannot be read` : '';
      tell({ tone: 'plain', text: `${many(added, 'correction')} of ${target.of} read${faulty}` });
    } catch (reason) {
      fail(reason);
    }
  };
  return (
    <section aria-label="Corrections" className="border-b border-rule-strong pb-2">
      <h2 className="px-4 pt-3 text-[14px]">Corrections</h2>
      <p className="px-4 text-soft">
        Values entered by hand in place of those that were read. Enter one in a trial, at the rows behind a
        number, or read a file with the key, value, author, at, comment, from and to.
      </p>
      {error && <p className="px-4 py-2 text-vermilion">{error.message}</p>}
      <ul>
        {data?.map((list) => (
          <ListLine
            key={list.of}
            list={list}
            fileAddress={`/api${addressOf(api.corrections.file, { id, of: list.of })}`}
            onRead={(mode) => choose({ of: list.of, mode })}
            onRemove={() =>
              void edit(
                [{ do: 'remove-corrections', of: list.of }],
                `remove the corrections of ${list.of}`,
              ).then(() => mutate(), fail)
            }
          />
        ))}
      </ul>
      <div className="flex items-center gap-2 px-4 py-2">
        <label className="flex items-center gap-2">
          Read a file of corrections of
          <select className="field h-[24px] max-w-[240px]" value={of} onChange={(e) => setOf(e.target.value)}>
            <option value="">choose a column</option>
            {correctable(model).map((path) => (
              <option key={path}>{path}</option>
            ))}
          </select>
        </label>
        <button className="btn h-[24px]" disabled={of === ''} onClick={() => choose({ of, mode: 'add' })}>
          Choose a file …
        </button>
        <input
          ref={file}
          type="file"
          hidden
          aria-label="File of corrections"
          accept=".csv,.tsv,.txt,text/csv"
          onChange={(e) => {
            void read(e.target.files?.[0]);
            e.target.value = '';
          }}
        />
      </div>
    </section>
  );
}

function ListLine({
  list: { of, entries, refusal, isRead },
  fileAddress,
  onRead,
  onRemove,
}: {
  list: CorrectionsState;
  fileAddress: string;
  onRead: (mode: 'add' | 'replace') => void;
  onRemove: () => void;
}) {
  const standing = entries.filter((e) => e.state === 'stands').length;
  const unfit = entries.filter((e) => e.state === 'changes nothing');
  const authors = [...new Set(entries.flatMap((e) => e.author ?? []))];
  return (
    <li className="px-4 py-1">
      <div className="flex flex-wrap items-center gap-3">
        <span className="min-w-0 flex-1">
          <b className="code mr-3">{of}</b>
          <span className="text-soft">
            {refusal ??
              (isRead
                ? `${many(entries.length, 'correction')}, ${count(standing)} ${standing === 1 ? 'counts' : 'count'} now${authors.length > 0 ? `, by ${authors.join(', ')}` : ''}`
                : 'not read yet: choose its file')}
          </span>
        </span>
        <button
          className="btn h-[24px]"
          onClick={() => onRead('add')}
          aria-label={`Read more corrections of ${of}`}
        >
          Add …
        </button>
        <button
          className="btn btn-bare h-[24px]"
          onClick={() => onRead('replace')}
          aria-label={`Replace the corrections of ${of}`}
        >
          Replace …
        </button>
        {isRead && (
          <a className="btn btn-bare h-[24px]" href={fileAddress} download>
            Save as CSV
          </a>
        )}
        <button
          className="btn btn-bare h-[24px]"
          onClick={onRemove}
          aria-label={`Remove the corrections of ${of}`}
        >
          Remove
        </button>
      </div>
      {unfit.length > 0 && (
        <p className="border-l-2 border-vermilion pl-2">
          {many(unfit.length, 'correction')} {unfit.length === 1 ? 'changes' : 'change'} nothing:{' '}
          {unfit
            .slice(0, 3)
            .map((e) => `${e.key.join(', ')} (${e.why})`)
            .join('; ')}
          {unfit.length > 3 && ' …'}
        </p>
      )}
    </li>
  );
}

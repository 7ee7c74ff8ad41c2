import { useState } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Pencil } from 'lucide-react';
import { Link } from 'react-router';
import { useModel } from '../state/model.tsx';

/** The model's title, with what is behind it: a new title, a description, and the texts of all objects. */
export function ModelTitle() {
  const { model } = useModel();
  return (
    <Popover className="relative min-w-0">
      {({ close }) => (
        <>
          <PopoverButton
            className="group flex min-w-0 max-w-full items-center gap-2"
            title={model.description ?? 'Rename the model, describe it'}
            aria-label={`Title and description of ${model.title ?? model.name}`}
          >
            <span className="truncate font-serif text-[15px] font-semibold">{model.title ?? model.name}</span>
            <Pencil
              size={12}
              aria-hidden
              className="shrink-0 text-soft opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100"
            />
          </PopoverButton>
          <PopoverPanel
            anchor="bottom start"
            className="z-40 w-[360px] border border-ink bg-raised p-4 shadow-[var(--shadow)]"
          >
            <ModelTexts onDone={close} />
          </PopoverPanel>
        </>
      )}
    </Popover>
  );
}

function ModelTexts({ onDone }: { onDone: () => void }) {
  const { model, edit } = useModel();
  const [title, setTitle] = useState(model.title ?? model.name);
  const [description, setDescription] = useState(model.description ?? '');
  const save = async () => {
    const change = { title: title.trim(), description: description.trim() };
    const says =
      change.title === (model.title ?? model.name)
        ? 'describe the model'
        : `rename the model ${change.title}`;
    if (await edit([{ do: 'set-model', change }], says)) onDone();
  };
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        void save();
      }}
    >
      <label className="flex flex-col gap-1">
        <span className="text-soft">Title</span>
        <input className="field" value={title} autoFocus onChange={(e) => setTitle(e.target.value)} />
      </label>
      <label className="flex flex-col gap-1">
        <span className="text-soft">Description</span>
        <textarea
          className="field min-h-[72px]"
          value={description}
          onChange={(e) => setDescription(e.target.value)}
        />
      </label>
      <p className="text-soft">
        Named <b>{model.name}</b> in files and on the command line.
      </p>
      <div className="flex items-center gap-2">
        <button className="btn btn-act" disabled={title.trim() === ''}>
          Save
        </button>
        <button type="button" className="btn btn-bare" onClick={onDone}>
          Cancel
        </button>
        <span className="flex-1" />
        <Link className="underline" to="texts" onClick={onDone}>
          Texts of all objects
        </Link>
      </div>
    </form>
  );
}

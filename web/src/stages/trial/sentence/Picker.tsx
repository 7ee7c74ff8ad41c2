import type { ReactNode } from 'react';
import { useState } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';

/** Something that may be added to a question. */
export interface Option<Value> {
  readonly value: Value;
  readonly text: string;
  readonly group: string;
  /** Its title and description, by which it is found, too. */
  readonly told?:
    | { readonly title?: string | undefined; readonly description?: string | undefined }
    | undefined;
}

interface Props<Value> {
  readonly label: string;
  /** Made when the list opens. */
  readonly options: () => readonly Option<Value>[];
  readonly onPick: (value: Value) => void;
  /** A form that takes the place of the list when it is asked for. */
  readonly form?: {
    readonly text: string;
    readonly body: (close: () => void) => ReactNode;
  };
}

/** So many options are listed at once. */
const LISTED = 120;

/** A list that narrows as one types; arrows and Enter choose. */
export function Picker<Value>({ label, options, onPick, form }: Props<Value>) {
  return (
    <Popover className="relative font-sans text-[13px]">
      {({ close }) => (
        <>
          <PopoverButton
            className="btn btn-bare border-dashed border-rule-strong"
            aria-label={label}
            title={label}
          >
            +
          </PopoverButton>
          <PopoverPanel
            anchor="bottom start"
            className="z-40 w-[340px] border border-ink bg-raised shadow-[var(--shadow)]"
          >
            <Choice label={label} options={options} onPick={onPick} form={form} close={close} />
          </PopoverPanel>
        </>
      )}
    </Popover>
  );
}

function Choice<Value>({
  label,
  options,
  onPick,
  form,
  close,
}: Omit<Props<Value>, 'form'> & { form: Props<Value>['form'] | undefined; close: () => void }) {
  const [search, setSearch] = useState('');
  const [at, setAt] = useState(0);
  const [inForm, setInForm] = useState(false);
  const [all] = useState(options);
  const wanted = search.toLowerCase();
  const fitting = all.filter((o) =>
    [o.group, o.text, o.told?.title, o.told?.description].join(' ').toLowerCase().includes(wanted),
  );
  const found = fitting.slice(0, LISTED);
  const last = found.length - (form ? 0 : 1);
  const pick = (i: number) => {
    const option = found[i];
    if (!option) {
      if (form) setInForm(true);
      return;
    }
    onPick(option.value);
    close();
  };
  if (inForm && form) return <>{form.body(close)}</>;
  return (
    <>
      <input
        autoFocus
        className="w-full border-b border-rule bg-transparent px-3 py-2 outline-none"
        placeholder={label}
        aria-label={label}
        value={search}
        onChange={(e) => {
          setSearch(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === 'ArrowDown') setAt((i) => Math.min(last, i + 1));
          else if (e.key === 'ArrowUp') setAt((i) => Math.max(0, i - 1));
          else if (e.key === 'Enter') pick(at);
          else return;
          e.preventDefault();
        }}
      />
      <ul className="max-h-[320px] overflow-auto py-1" role="listbox" aria-label={label}>
        {found.map((o, i) => (
          <li key={`${o.group} ${o.text}`} role="option" aria-selected={i === at}>
            <button
              className={`flex w-full gap-2 px-3 py-[3px] text-left ${i === at ? 'bg-ink text-leaf' : 'hover:bg-rule'}`}
              onClick={() => pick(i)}
              title={o.told?.description ?? o.text}
            >
              <span className="min-w-0 flex-1 truncate">
                {o.text}
                {o.told?.title !== undefined && <span className="opacity-60"> · {o.told.title}</span>}
              </span>
              {!o.text.startsWith(o.group) && (
                <span className="max-w-[130px] truncate opacity-60">{o.group}</span>
              )}
            </button>
          </li>
        ))}
        {found.length === 0 && <li className="px-3 py-1 text-soft">No matches</li>}
        {fitting.length > LISTED && (
          <li className="px-3 py-1 text-soft">{fitting.length - LISTED} more: type to narrow</li>
        )}
      </ul>
      {form && (
        <button
          className={`w-full border-t border-rule px-3 py-1 text-left ${at === found.length ? 'bg-ink text-leaf' : 'hover:bg-rule'}`}
          onClick={() => setInForm(true)}
        >
          {form.text}
        </button>
      )}
    </>
  );
}

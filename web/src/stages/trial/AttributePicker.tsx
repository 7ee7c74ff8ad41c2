import { useMemo, useState } from 'react';
import { Combobox, ComboboxButton, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import { useModel } from '../../state/model.tsx';
import { attributesOf } from './attributes.ts';
import { useSaid } from './said.ts';

/** One column of the model, completed as one types. */
export function AttributePicker({
  value,
  onChange,
  label,
}: {
  value: string | undefined;
  onChange: (value: string | undefined) => void;
  label: string;
}) {
  const { model } = useModel();
  const [query, setQuery] = useState('');
  const said = useSaid();
  const all = useMemo(
    () =>
      attributesOf(model)
        .filter((a) => typeof a.item === 'string')
        .map((a) => ({ path: a.text, text: said.column(a.text) })),
    [model, said],
  );
  const found = all.filter(({ text }) => text.toLowerCase().includes(query.toLowerCase())).slice(0, 80);
  return (
    <Combobox
      value={value ?? ''}
      onChange={(path) => onChange(path || undefined)}
      onClose={() => setQuery('')}
      immediate
    >
      <span className="relative inline-flex">
        <ComboboxInput
          className="field w-[210px] pr-6"
          aria-label={label}
          placeholder={label.toLowerCase()}
          displayValue={(path: string) => (path === '' ? '' : said.column(path))}
          onChange={(e) => setQuery(e.target.value)}
        />
        <ComboboxButton className="absolute inset-y-0 right-1" aria-label={`Open ${label}`}>
          <ChevronDown size={13} aria-hidden />
        </ComboboxButton>
      </span>
      <ComboboxOptions
        anchor="bottom start"
        className="z-40 max-h-[300px] w-[260px] overflow-auto border border-ink bg-raised py-1"
      >
        {found.map(({ path, text }) => (
          <ComboboxOption
            key={path}
            value={path}
            className="cursor-pointer truncate px-3 py-[3px] data-[focus]:bg-ink data-[focus]:text-leaf"
          >
            {text}
          </ComboboxOption>
        ))}
      </ComboboxOptions>
    </Combobox>
  );
}

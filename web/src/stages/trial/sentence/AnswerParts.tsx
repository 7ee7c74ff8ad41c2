import { useState } from 'react';
import type { Query } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import type { Said } from '../said.ts';
import { useSaid } from '../said.ts';
import { Part } from './Part.tsx';
import type { Option } from './Picker.tsx';
import { Picker } from './Picker.tsx';

const DAY = /^\d{4}-\d{2}-\d{2}$/;
const FIRST_LIMIT = 20;

/** What the question says of its answer as a whole: its order, a limit, the day, what else is listed. */
export function AnswerParts({ query, onAsk }: { query: Query; onAsk: (query: Query) => void }) {
  const { model } = useModel();
  const said = useSaid();
  const without = (key: keyof Query) => onAsk({ ...query, [key]: undefined });
  const sort = query.sort ?? [];
  return (
    <>
      {sort.length > 0 && (
        <Part
          text={`sorted by ${sort.map((s) => `${typeof s.of === 'string' ? sortText(s.of, query, said) : said.item(s.of)}${s.order === 'descending' ? ', descending' : ''}`).join(', ')}`}
          onRemove={() => without('sort')}
        />
      )}
      {query.limit !== undefined && (
        <Part
          text={`limit ${query.limit}`}
          onRemove={() => without('limit')}
          editor={() => <LimitEditor limit={query.limit!} onSave={(limit) => onAsk({ ...query, limit })} />}
        />
      )}
      {query.asOf !== undefined && (
        <Part
          text={`as of ${query.asOf}`}
          onRemove={() => without('asOf')}
          editor={() => <DayEditor day={query.asOf!} onSave={(asOf) => onAsk({ ...query, asOf })} />}
        />
      )}
      {query.subtotals && <Part text="with subtotals" onRemove={() => without('subtotals')} />}
      {query.empty === 'show' && <Part text="with empty members" onRemove={() => without('empty')} />}
      <Picker
        label="Add to the answer"
        options={() => additions(query, model.asOf ?? new Date().toISOString().slice(0, 10))}
        onPick={(change) => onAsk({ ...query, ...change })}
      />
    </>
  );
}

/** An order is by a measure of the question, or by one of its attributes. */
const sortText = (of: string, { measures }: Query, said: Said): string =>
  measures.includes(of) ? said.measure(of) : said.column(of);

/** What may still be added, each with the value that it begins with. */
function additions(query: Query, day: string): Option<Partial<Query>>[] {
  const all: Option<Partial<Query>>[] = [
    { value: { asOf: day }, text: 'as of a day …', group: '' },
    { value: { limit: FIRST_LIMIT }, text: 'limit …', group: '' },
    { value: { subtotals: true }, text: 'with subtotals', group: '' },
    { value: { empty: 'show' }, text: 'with empty members', group: '' },
  ];
  return all.filter(({ value }) =>
    Object.keys(value).every((key) => query[key as keyof Query] === undefined),
  );
}

function LimitEditor({ limit, onSave }: { limit: number; onSave: (limit: number) => void }) {
  return (
    <label className="flex items-center gap-2 p-3">
      the first
      <input
        autoFocus
        type="number"
        min={1}
        className="field w-[90px]"
        aria-label="Limit"
        value={limit}
        onChange={(e) => Number(e.target.value) >= 1 && onSave(Math.floor(Number(e.target.value)))}
      />
      rows
    </label>
  );
}

/** A day as it is written in models; it is asked as soon as it is one. */
function DayEditor({ day, onSave }: { day: string; onSave: (day: string) => void }) {
  const [text, setText] = useState(day);
  const isDay = DAY.test(text) && !Number.isNaN(Date.parse(text));
  return (
    <label className="flex flex-wrap items-center gap-2 p-3">
      periods end with
      <input
        autoFocus
        className="field w-[120px]"
        aria-label="As-of day of the question"
        placeholder="yyyy-MM-dd"
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          if (DAY.test(e.target.value) && !Number.isNaN(Date.parse(e.target.value))) onSave(e.target.value);
        }}
      />
      {!isDay && <span className="text-soft">a day is written like 2026-06-30</span>}
    </label>
  );
}

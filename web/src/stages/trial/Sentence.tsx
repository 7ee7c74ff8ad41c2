import { useMemo, useState } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { api } from '@crease/contract';
import { withRoles } from '@crease/core/formula';
import type { ByItem, Model, Perspective, Query, QueryFilter, TopFilter } from '@crease/core/model';
import { isShown } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useTold } from '../../state/told.ts';
import type { AnswerMember } from '@crease/core/query';
import { formatValue, memberText } from '../../parts/format.ts';
import { conditionExample } from '../../parts/examples.ts';
import { count } from '../../parts/text.ts';
import { attributesOf, itemText, measureText, topText } from './attributes.ts';

interface Props {
  readonly query: Query;
  readonly perspective: Perspective | undefined;
  readonly onAsk: (query: Query) => void;
}

const PERIODS = [
  'year to date',
  'quarter to date',
  'month to date',
  'whole month',
  'previous month',
  'previous quarter',
  'previous year',
  'last 12 months',
  'fiscal year to date',
  'same period 1 year back',
];

type PeriodFilter = Extract<QueryFilter, { period: string }>;

/**
 * Periods of each calendar, and of each role of one; where there is but one calendar its name goes without
 * saying.
 */
function periodsOf(asked: Model): PeriodFilter[] {
  const { model, rowsOf } = withRoles(asked);
  const own = (asked.calendars ?? []).length;
  const calendars = (model.calendars ?? []).map(({ table }) =>
    own === 1 && !rowsOf.has(table.toLowerCase()) ? {} : { calendar: table },
  );
  return calendars.flatMap((calendar) => PERIODS.map((period) => ({ period, ...calendar })));
}

const periodText = ({ period, calendar }: PeriodFilter): string =>
  calendar === undefined ? period : `${period} by ${calendar}`;

/** The question as a sentence: show … by … where …, each part a button, completed as one types. */
export function Sentence({ query, perspective, onAsk }: Props) {
  const { model, measures: known } = useModel();
  const told = useTold();
  const measures = known.filter(
    (m) => !m.hidden && (!perspective || isShown(perspective, 'measures', m.name)),
  );
  const attributes = useMemo(() => attributesOf(model, perspective), [model, perspective]);
  const periods = useMemo(() => periodsOf(model), [model]);
  const by = query.by ?? [];
  const across = query.across ?? [];
  const filters = query.filters ?? [];
  const removed = <T,>(list: readonly T[], i: number): T[] => list.filter((_, j) => j !== i);
  return (
    <div
      className="flex flex-wrap items-center gap-x-2 gap-y-2 border-b border-rule px-4 py-3 font-serif text-[15px]"
      aria-label="The question"
    >
      <span>show</span>
      {query.measures.map((m, i) => (
        <Part
          key={measureText(m)}
          text={measureText(m)}
          onRemove={() => onAsk({ ...query, measures: removed(query.measures, i), sort: [] })}
        />
      ))}
      <Picker
        label="Add a measure"
        options={measures
          .filter((m) => !query.measures.includes(m.name))
          .map((m) => ({ key: m.name, text: m.name, group: m.folder ?? '', told: m }))}
        onPick={(name) => onAsk({ ...query, measures: [...query.measures, name] })}
      />
      <span>by</span>
      {by.map((item, i) => (
        <Part
          key={itemText(item, model)}
          text={itemText(item, model)}
          onRemove={() => onAsk({ ...query, by: removed(by, i), sort: [] })}
          onLeft={
            i > 0
              ? () =>
                  onAsk({ ...query, by: by.map((x, j) => (j === i - 1 ? item : j === i ? by[i - 1]! : x)) })
              : undefined
          }
        />
      ))}
      <Picker
        label="Add an attribute"
        options={attributes
          .filter((a) => !by.some((b) => itemText(b, model) === a.text))
          .map((a) => ({
            key: JSON.stringify(a.item),
            text: a.text,
            group: a.group,
            told: typeof a.item === 'string' ? told.column(a.item) : undefined,
          }))}
        onPick={(key) => onAsk({ ...query, by: [...by, JSON.parse(key) as ByItem] })}
      />
      <span>across</span>
      {across.map((item, i) => (
        <Part
          key={itemText(item, model)}
          text={itemText(item, model)}
          onRemove={() => onAsk({ ...query, across: removed(across, i), sort: [] })}
        />
      ))}
      <Picker
        label="Lay out across"
        options={attributes
          .filter((a) => ![...by, ...across].some((b) => itemText(b, model) === a.text))
          .map((a) => ({
            key: JSON.stringify(a.item),
            text: a.text,
            group: a.group,
            told: typeof a.item === 'string' ? told.column(a.item) : undefined,
          }))}
        onPick={(key) => onAsk({ ...query, across: [...across, JSON.parse(key) as ByItem] })}
      />
      <span>where</span>
      {filters.map((f, i) => (
        <FilterPart
          key={JSON.stringify(f)}
          filter={f}
          onChange={(next) => onAsk({ ...query, filters: filters.map((x, j) => (j === i ? next : x)) })}
          onRemove={() => onAsk({ ...query, filters: removed(filters, i) })}
        />
      ))}
      <Picker
        label="Add a condition"
        options={[
          ...periods.map((p) => ({
            key: `period:${JSON.stringify(p)}`,
            text: periodText(p),
            group: 'periods up to as-of',
          })),
          { key: 'where:', text: 'custom condition …', group: '' },
          { key: 'having:', text: 'condition on measures …', group: '' },
          ...(by.length === 0 || filters.some((f) => 'top' in f)
            ? []
            : query.measures.map((m) => ({
                key: `top:${measureText(m)}`,
                text: `top 10 by ${measureText(m)}`,
                group: '',
              }))),
          ...attributes
            .filter((a) => typeof a.item === 'string')
            .map((a) => ({
              key: `in:${a.text}`,
              text: a.text,
              group: a.group,
              told: told.column(a.text),
            })),
        ]}
        onPick={(key) => {
          const [kind, rest] = [key.slice(0, key.indexOf(':')), key.slice(key.indexOf(':') + 1)];
          const added: QueryFilter =
            kind === 'period'
              ? (JSON.parse(rest) as PeriodFilter)
              : kind === 'in'
                ? { column: rest, in: [] }
                : kind === 'top'
                  ? { top: 10, of: rest, others: true }
                  : kind === 'having'
                    ? { having: 'true' }
                    : { where: 'true' };
          onAsk({ ...query, filters: [...filters, added] });
        }}
      />
      <label className="ml-auto flex items-center gap-1 font-sans text-[12px] text-soft">
        <input
          type="checkbox"
          checked={query.empty === 'show'}
          onChange={(e) => onAsk({ ...query, empty: e.target.checked ? 'show' : undefined })}
        />{' '}
        empty members
      </label>
    </div>
  );
}

function Part({
  text,
  onRemove,
  onLeft,
}: {
  text: string;
  onRemove: () => void;
  onLeft?: (() => void) | undefined;
}) {
  return (
    <span className="inline-flex items-center border-b-2 border-ink font-semibold">
      {onLeft && (
        <button
          className="px-1 text-soft hover:text-ink"
          onClick={onLeft}
          aria-label={`Move ${text} to the left`}
          title="Move to the left"
        >
          ‹
        </button>
      )}
      {text}
      <button
        className="px-1 text-soft hover:text-vermilion"
        onClick={onRemove}
        aria-label={`Remove ${text}`}
        title="Remove"
      >
        ×
      </button>
    </span>
  );
}

interface Option {
  readonly key: string;
  readonly text: string;
  readonly group: string;
  /** Its title and description, by which it is found, too. */
  readonly told?:
    { readonly title?: string | undefined; readonly description?: string | undefined } | undefined;
}

/** A list that narrows as one types; arrows and Enter choose. */
function Picker({
  label,
  options,
  onPick,
}: {
  label: string;
  options: readonly Option[];
  onPick: (key: string) => void;
}) {
  const [search, setSearch] = useState('');
  const [at, setAt] = useState(0);
  const found = options
    .filter((o) =>
      [o.group, o.text, o.told?.title, o.told?.description]
        .join(' ')
        .toLowerCase()
        .includes(search.toLowerCase()),
    )
    .slice(0, 120);
  return (
    <Popover className="relative font-sans text-[13px]">
      {({ close }) => {
        const pick = (key: string) => {
          onPick(key);
          setSearch('');
          setAt(0);
          close();
        };
        return (
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
              className="z-40 w-[300px] border border-ink bg-raised shadow-[var(--shadow)]"
            >
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
                  if (e.key === 'ArrowDown') setAt((i) => Math.min(found.length - 1, i + 1));
                  if (e.key === 'ArrowUp') setAt((i) => Math.max(0, i - 1));
                  if (e.key === 'Enter' && found[at]) pick(found[at].key);
                }}
              />
              <ul className="max-h-[320px] overflow-auto py-1" role="listbox" aria-label={label}>
                {found.map((o, i) => (
                  <li key={o.key} role="option" aria-selected={i === at}>
                    <button
                      className={`flex w-full gap-2 px-3 py-[3px] text-left ${i === at ? 'bg-ink text-leaf' : 'hover:bg-rule'}`}
                      onClick={() => pick(o.key)}
                      title={o.told?.description}
                    >
                      <span className="min-w-0 flex-1 truncate">
                        {o.text}
                        {o.told?.title !== undefined && <span className="opacity-60"> · {o.told.title}</span>}
                      </span>
                      {!o.text.startsWith(o.group) && <span className="truncate opacity-60">{o.group}</span>}
                    </button>
                  </li>
                ))}
                {found.length === 0 && <li className="px-3 py-1 text-soft">No matches</li>}
              </ul>
            </PopoverPanel>
          </>
        );
      }}
    </Popover>
  );
}

function FilterPart({
  filter,
  onChange,
  onRemove,
}: {
  filter: QueryFilter;
  onChange: (filter: QueryFilter) => void;
  onRemove: () => void;
}) {
  const { model } = useModel();
  const text =
    'having' in filter
      ? filter.having
      : 'top' in filter
        ? topText(filter, model)
        : 'period' in filter
          ? periodText(filter)
          : 'where' in filter
            ? filter.where
            : `${filter.column} is ${
                filter.in.length === 0
                  ? '…'
                  : filter.in
                      .slice(0, 3)
                      .map((m) => memberText(m, 'text'))
                      .join(', ')
              }${filter.in.length > 3 ? ` and ${filter.in.length - 3} more` : ''}`;
  if ('period' in filter) return <Part text={text} onRemove={onRemove} />;
  return (
    <span className="inline-flex items-center border-b-2 border-ink font-semibold">
      <Popover className="relative">
        <PopoverButton className="font-serif">{text}</PopoverButton>
        <PopoverPanel
          anchor="bottom start"
          className="z-40 w-[320px] border border-ink bg-raised font-sans text-[13px]"
        >
          {'top' in filter ? (
            <TopEditor filter={filter} onSave={onChange} />
          ) : 'having' in filter ? (
            <WhereEditor where={filter.having} onSave={(having) => onChange({ having })} />
          ) : 'where' in filter ? (
            <WhereEditor where={filter.where} onSave={(where) => onChange({ where })} />
          ) : (
            <MemberPicker filter={filter} onChange={onChange} />
          )}
        </PopoverPanel>
      </Popover>
      <button
        className="px-1 text-soft hover:text-vermilion"
        onClick={onRemove}
        aria-label={`Remove ${text}`}
        title="Remove"
      >
        ×
      </button>
    </span>
  );
}

function WhereEditor({ where, onSave }: { where: string; onSave: (where: string) => void }) {
  const { model } = useModel();
  const [text, setText] = useState(where);
  return (
    <form
      className="flex flex-col gap-2 p-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) onSave(text.trim());
      }}
    >
      <textarea
        className="field code"
        rows={3}
        autoFocus
        value={text}
        onChange={(e) => setText(e.target.value)}
        aria-label="Condition"
        placeholder={conditionExample(model)}
      />
      <button className="btn btn-act self-end">Apply</button>
    </form>
  );
}

/** What rows have that have no value: a null, no reference, a reference without a partner. */
const NO_VALUES: readonly AnswerMember[] = [null, { null: true }, { unmatched: true }];
const sameMember = (a: AnswerMember, b: AnswerMember): boolean => JSON.stringify(a) === JSON.stringify(b);

/** How many come first, from which end, and whether all others are one member. */
function TopEditor({ filter, onSave }: { filter: TopFilter; onSave: (filter: TopFilter) => void }) {
  return (
    <div className="flex flex-col gap-2 p-3">
      <label className="flex items-center gap-2">
        members
        <input
          autoFocus
          type="number"
          min={1}
          className="field w-[80px]"
          aria-label="How many members"
          value={filter.top}
          onChange={(e) =>
            Number(e.target.value) >= 1 && onSave({ ...filter, top: Math.floor(Number(e.target.value)) })
          }
        />
        <select
          className="field"
          aria-label="From which end"
          value={filter.order ?? 'descending'}
          onChange={(e) => onSave({ ...filter, order: e.target.value as 'ascending' | 'descending' })}
        >
          <option value="descending">largest first</option>
          <option value="ascending">smallest first</option>
        </select>
      </label>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={filter.others ?? false}
          onChange={(e) => onSave({ ...filter, others: e.target.checked })}
        />
        all others as one member
      </label>
    </div>
  );
}

type PlainMember = Extract<QueryFilter, { column: string }>['in'][number];

function MemberPicker({
  filter,
  onChange,
}: {
  filter: Extract<QueryFilter, { column: string }>;
  onChange: (filter: QueryFilter) => void;
}) {
  const { id } = useModel();
  const [search, setSearch] = useState('');
  const { data, error } = useAnswer(
    api.questions.values,
    { id, column: filter.column, search },
    { keepPreviousData: true },
  );
  const has = (member: AnswerMember) => filter.in.some((x) => sameMember(x, member));
  const toggle = (member: AnswerMember) =>
    onChange({
      ...filter,
      in: has(member)
        ? filter.in.filter((x) => !sameMember(x, member))
        : [...filter.in, member as PlainMember],
    });
  return (
    <div>
      <input
        autoFocus
        className="w-full border-b border-rule bg-transparent px-3 py-2 outline-none"
        placeholder={`search ${filter.column}`}
        aria-label={`Search ${filter.column}`}
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      {error && <p className="p-3 text-soft">{error.message}</p>}
      <ul className="max-h-[300px] overflow-auto py-1">
        {NO_VALUES.map((member) => (
          <li key={memberText(member, 'text')}>
            <label className="flex gap-2 px-3 py-[2px]">
              <input type="checkbox" checked={has(member)} onChange={() => toggle(member)} />{' '}
              <i>{memberText(member, 'text')}</i>
            </label>
          </li>
        ))}
        {(data?.values ?? []).map((v) => (
          <li key={String(v.value)}>
            <label className="flex gap-2 px-3 py-[2px] hover:bg-rule">
              <input type="checkbox" checked={has(v.value)} onChange={() => toggle(v.value)} />
              <span className="min-w-0 flex-1 truncate">{formatValue(v.value, data!.type)}</span>
              <span className="text-soft tabular-nums">{count(v.rows)}</span>
            </label>
          </li>
        ))}
      </ul>
    </div>
  );
}

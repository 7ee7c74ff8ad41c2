import { useState } from 'react';
import useSWR from 'swr';
import type { QueryFilter, TopFilter } from '@crease/core/model';
import type { AnswerMember } from '@crease/core/query';
import { useModel } from '../../../state/model.tsx';
import { formatValue, memberText } from '../../../parts/format.ts';
import { conditionExample } from '../../../parts/examples.ts';
import { count } from '../../../parts/text.ts';
import { topText } from '../attributes.ts';
import { useSaid } from '../said.ts';
import { Part } from './Part.tsx';
import type { PeriodFilter } from './periods.ts';
import { calendarsOf, COMMON_PERIODS, lastUnits, periodFilter, periodText, UNITS } from './periods.ts';

type MembersFilter = Extract<QueryFilter, { column: string }>;

/** A condition of the question: to change, to remove. */
export function ConditionPart({
  filter,
  onChange,
  onRemove,
}: {
  filter: QueryFilter;
  onChange: (filter: QueryFilter) => void;
  onRemove: () => void;
}) {
  const { model } = useModel();
  const said = useSaid();
  const [text, editor] =
    'having' in filter
      ? [
          filter.having,
          () => <FormulaEditor text={filter.having} onSave={(having) => onChange({ having })} />,
        ]
      : 'top' in filter
        ? [topText(filter, model), () => <TopEditor filter={filter} onSave={onChange} />]
        : 'period' in filter
          ? [periodText(filter), () => <PeriodEditor filter={filter} onSave={onChange} />]
          : 'where' in filter
            ? [
                filter.where,
                () => <FormulaEditor text={filter.where} onSave={(where) => onChange({ where })} />,
              ]
            : [
                membersText(filter, said.column(filter.column)),
                () => <MemberPicker filter={filter} onChange={onChange} />,
              ];
  return <Part text={text} editor={editor} onRemove={onRemove} />;
}

function membersText({ in: members }: MembersFilter, column: string): string {
  if (members.length === 0) return `${column} is …`;
  const named = members.slice(0, 3).map((m) => memberText(m, 'text'));
  return `${column} is ${named.join(', ')}${members.length > 3 ? ` and ${members.length - 3} more` : ''}`;
}

function FormulaEditor({ text: before, onSave }: { text: string; onSave: (text: string) => void }) {
  const { model } = useModel();
  const [text, setText] = useState(before);
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

/** The last so many units, or one of the other periods, in one of the calendars. */
function PeriodEditor({ filter, onSave }: { filter: PeriodFilter; onSave: (filter: PeriodFilter) => void }) {
  const { model } = useModel();
  const last = lastUnits(filter.period);
  const calendars = calendarsOf(model);
  const set = (period: string, calendar = filter.calendar) => onSave(periodFilter(period, calendar));
  return (
    <div className="flex flex-col gap-2 p-3">
      <select
        autoFocus
        className="field"
        aria-label="Period"
        value={last ? 'last' : filter.period}
        onChange={(e) => set(e.target.value === 'last' ? 'last 12 months' : e.target.value)}
      >
        <option value="last">last n units</option>
        {[...new Set([...COMMON_PERIODS, ...(last ? [] : [filter.period])])].map((period) => (
          <option key={period}>{period}</option>
        ))}
      </select>
      {last && (
        <label className="flex items-center gap-2">
          last
          <input
            type="number"
            min={1}
            className="field w-[80px]"
            aria-label="How many units"
            value={last.count}
            onChange={(e) =>
              Number(e.target.value) >= 1 && set(`last ${Math.floor(Number(e.target.value))} ${last.unit}`)
            }
          />
          <select
            className="field"
            aria-label="Unit"
            value={last.unit}
            onChange={(e) => set(`last ${last.count} ${e.target.value}`)}
          >
            {UNITS.map((unit) => (
              <option key={unit}>{unit}</option>
            ))}
          </select>
        </label>
      )}
      {calendars.length > 1 && (
        <label className="flex items-center gap-2">
          by
          <select
            className="field"
            aria-label="Calendar of the period"
            value={filter.calendar ?? ''}
            onChange={(e) => onSave(periodFilter(filter.period, e.target.value || undefined))}
          >
            {calendars.map((calendar) => (
              <option key={calendar ?? ''} value={calendar ?? ''}>
                {calendar ?? model.calendars?.[0]?.table}
              </option>
            ))}
          </select>
        </label>
      )}
    </div>
  );
}

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

/** What rows have that have no value: a null, no reference, a reference without a partner. */
const NO_VALUES: readonly AnswerMember[] = [null, { null: true }, { unmatched: true }];
const sameMember = (a: AnswerMember, b: AnswerMember): boolean => JSON.stringify(a) === JSON.stringify(b);

type PlainMember = MembersFilter['in'][number];

function MemberPicker({
  filter,
  onChange,
}: {
  filter: MembersFilter;
  onChange: (filter: QueryFilter) => void;
}) {
  const { questions } = useModel();
  const said = useSaid();
  const [search, setSearch] = useState('');
  const { data, error } = useSWR(
    questions.keyOfValues(filter.column, search),
    () => questions.values(filter.column, search),
    { keepPreviousData: true, revalidateOnFocus: false },
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
        placeholder={`search ${said.column(filter.column)}`}
        aria-label={`Search ${said.column(filter.column)}`}
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

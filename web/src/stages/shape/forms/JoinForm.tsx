import type { StepArgument } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { JoinFacts } from '@crease/core/shape';
import { JOIN_KINDS } from '@crease/core/shape';
import { useModel } from '../../../state/model.tsx';
import { count } from '../../../parts/text.ts';
import { Checks, Choice, Row } from '../fields.tsx';
import { KeyPairs } from './KeyPairs.tsx';
import type { StepFormProps } from './stepFormProps.ts';

/**
 * A join: the other table, the keys, the kind with the rows that each would keep, and the columns that come
 * along.
 */
export function JoinForm({ value, columns, place, work, others: tables, onChange }: StepFormProps<'join'>) {
  const { model } = useModel();
  const theirs = (model.tables.find((t) => sameName(t.name, value.table))?.columns ?? [])
    .filter((c) => c.formula === undefined)
    .map((c) => c.name);
  const own = columns.map((c) => c.name);
  /** With another table, columns of one name are the likely keys. */
  const choose = (table: string) => {
    const found = (model.tables.find((t) => t.name === table)?.columns ?? []).filter((c) =>
      own.some((o) => sameName(o, c.name)),
    );
    const keys = found.filter((c) => c.use === 'key' || c.use === 'reference');
    const shared = (keys.length > 0 ? keys : found).slice(0, 1);
    onChange({
      table,
      kind: value.kind,
      on: shared.length > 0 ? shared.map((c) => [own.find((o) => sameName(o, c.name))!, c.name]) : [['', '']],
    });
  };
  const { trace } = work;
  const facts = work.waiting
    ? undefined
    : (trace?.states[place - 1]?.join ?? (trace?.fault?.place === place ? trace.fault.join : undefined));
  const bringable = theirs.filter((c) => !value.on.some(([, t]) => sameName(t, c)));
  const brought = value.columns?.map((c) => (typeof c === 'string' ? c : c.column)) ?? bringable;
  return (
    <div className="flex flex-col gap-2">
      <Row label="with">
        <Choice label="The table to join" value={value.table} options={tables} onChange={choose} />
      </Row>
      {value.table !== '' && (
        <KeyPairs
          word="on"
          pairs={value.on}
          here={own}
          table={value.table}
          there={theirs}
          onChange={(on) => onChange({ ...value, on })}
        />
      )}
      <Kinds value={value.kind} facts={facts} onChange={(kind) => onChange({ ...value, kind })} />
      {bringable.length > 0 && (
        <Checks
          label="adds"
          names={bringable}
          chosen={brought}
          onChange={(names) => onChange({ ...value, columns: names })}
        />
      )}
    </div>
  );
}

const KEEPS = {
  inner: 'rows that have a partner',
  left: 'all rows here',
  full: 'all rows of both',
} as const;

/** The kinds side by side with what each would keep. */
function Kinds({
  value,
  facts,
  onChange,
}: {
  value: StepArgument<'join'>['kind'];
  facts: JoinFacts | undefined;
  onChange: (kind: StepArgument<'join'>['kind']) => void;
}) {
  return (
    <div role="radiogroup" aria-label="Kind of join" className="grid grid-cols-3 gap-2">
      {JOIN_KINDS.map((kind) => (
        <button
          key={kind}
          role="radio"
          aria-checked={kind === value}
          onClick={() => onChange(kind)}
          className={`border px-3 py-[6px] text-left ${kind === value ? 'border-ink bg-leaf shadow-[inset_0_2px_0_var(--ink)]' : 'border-rule-strong'}`}
        >
          <b>{kind}</b> <span className="text-soft">{KEEPS[kind]}</span>
          <span className="num block text-left text-[15px]">{facts ? count(facts.keeps[kind]) : '…'}</span>
        </button>
      ))}
    </div>
  );
}

import type { StepArgument } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import { lookupOf } from '../lookupOf.ts';
import type { StateColumn } from '../fields.tsx';
import { Checks, Choice, Row } from '../fields.tsx';
import { KeyPairs } from './KeyPairs.tsx';
import type { StepFormProps } from './stepFormProps.ts';

type Way = 'first' | 'newest' | 'valid' | 'until';
const WAYS: readonly { readonly way: Way; readonly says: string }[] = [
  { way: 'first', says: 'the only or first row' },
  { way: 'newest', says: 'the newest' },
  { way: 'valid', says: 'valid on the day of' },
  { way: 'until', says: 'the newest up to the day of' },
];

const isDay = (c: StateColumn) => c.type === 'date' || c.type === 'timestamp';

/**
 * A lookup: the other table, the keys, which of the rows of a key is meant, and the columns that it brings.
 */
export function LookupFields({
  value,
  columns,
  own,
  onChange,
}: {
  value: StepArgument<'lookup'>;
  /** Columns before the step. */
  columns: readonly StateColumn[];
  /** The table that the steps are of: it cannot look itself up. */
  own: string;
  onChange: (value: StepArgument<'lookup'>) => void;
}) {
  const { model } = useModel();
  const table = model.tables.find((t) => sameName(t.name, value.table));
  const theirs = (table?.columns ?? []).filter((c) => c.formula === undefined);
  const names = theirs.map((c) => c.name);
  const here = columns.map((c) => c.name);
  const days = theirs.filter(isDay).map((c) => c.name);
  const ownDays = columns.filter(isDay).map((c) => c.name);
  const { valid, newest, ...plain } = value;
  const way: Way =
    newest !== undefined ? 'newest' : valid ? (valid.to === undefined ? 'until' : 'valid') : 'first';
  const choose = (next: Way) => {
    const from = valid?.from ?? table?.validity?.from ?? days[0] ?? '';
    const at = valid?.at ?? ownDays[0] ?? '';
    const to = valid?.to ?? table?.validity?.to ?? days.find((d) => d !== from) ?? from;
    if (next === 'newest') onChange({ ...plain, newest: newest ?? from });
    else if (next === 'valid') onChange({ ...plain, valid: { at, from, to } });
    else if (next === 'until') onChange({ ...plain, valid: { at, from } });
    else onChange(plain);
  };
  const putValid = (change: Partial<NonNullable<StepArgument<'lookup'>['valid']>>) =>
    onChange({ ...value, valid: { ...valid!, ...change } });
  const bringable = names.filter((c) => !value.on.some(([, t]) => sameName(t, c)));
  const brought = value.columns.map((c) => (typeof c === 'string' ? c : c.column));
  const put = (chosen: readonly string[]) =>
    onChange({
      ...value,
      columns: chosen.map(
        (name) =>
          value.columns.find((c) => typeof c !== 'string' && sameName(c.column, name)) ??
          asFree(name, here, value.table),
      ),
    });
  return (
    <div className="flex flex-col gap-2">
      <Row label="from">
        <Choice
          label="The table to look up in"
          value={value.table}
          options={model.tables.filter((t) => !sameName(t.name, own)).map((t) => t.name)}
          onChange={(name) =>
            onChange(
              lookupOf(
                model.tables.find((t) => t.name === name),
                columns,
              ),
            )
          }
        />
      </Row>
      {table && (
        <KeyPairs
          word="where"
          pairs={value.on}
          here={here}
          table={value.table}
          there={names}
          onChange={(on) => onChange({ ...value, on })}
        />
      )}
      {table && (
        <WhichRow
          way={way}
          choose={choose}
          names={names}
          days={days}
          newest={newest}
          onChange={onChange}
          plain={plain}
          valid={valid}
          ownDays={ownDays}
          putValid={putValid}
        />
      )}
      {bringable.length > 0 && <Checks label="adds" names={bringable} chosen={brought} onChange={put} />}
    </div>
  );
}

/** A column under a name that is free among those that are there. */
function asFree(
  name: string,
  here: readonly string[],
  table: string,
): string | { column: string; as: string } {
  return here.some((h) => sameName(h, name)) ? { column: name, as: `${table}_${name}` } : name;
}

export function LookupForm({ value, columns, work, onChange }: StepFormProps<'lookup'>) {
  return <LookupFields value={value} columns={columns} own={work.table.name} onChange={onChange} />;
}

/** Which of several rows that match is taken. */
function WhichRow({
  way,
  choose,
  names,
  days,
  newest,
  onChange,
  plain,
  valid,
  ownDays,
  putValid,
}: {
  way: Way;
  choose: (next: Way) => void;
  names: readonly string[];
  days: readonly string[];
  newest: string | undefined;
  onChange: (value: StepArgument<'lookup'>) => void;
  plain: { table: string; on: [string, string][]; columns: (string | { column: string; as: string })[] };
  valid: { at: string; from: string; to?: string | undefined } | undefined;
  ownDays: readonly string[];
  putValid: (change: Partial<NonNullable<StepArgument<'lookup'>['valid']>>) => void;
}) {
  return (
    <Row label="of its rows">
      <select
        className="field"
        aria-label="Which row"
        value={way}
        onChange={(e) => choose(e.target.value as Way)}
      >
        {WAYS.filter(
          ({ way: w }) => w === way || w === 'first' || (w === 'newest' ? names.length > 0 : days.length > 0),
        ).map((w) => (
          <option key={w.way} value={w.way}>
            {w.says}
          </option>
        ))}
      </select>
      {newest !== undefined && (
        <>
          <span>by</span>
          <Choice
            label="Newest by"
            value={newest}
            options={names}
            onChange={(name) => onChange({ ...plain, newest: name })}
          />
        </>
      )}
      {valid && (
        <>
          <Choice label="Day" value={valid.at} options={ownDays} onChange={(at) => putValid({ at })} />
          <span>from</span>
          <Choice
            label="Valid from"
            value={valid.from}
            options={days}
            onChange={(from) => putValid({ from })}
          />
          {valid.to !== undefined && (
            <>
              <span>to</span>
              <Choice label="Valid to" value={valid.to} options={days} onChange={(to) => putValid({ to })} />
            </>
          )}
        </>
      )}
    </Row>
  );
}

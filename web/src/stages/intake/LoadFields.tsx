import type { Table } from '@crease/core/model';
import type { Arrival } from './arrival.ts';

/** What becomes of the rows that are there. */
export function ModeField({
  arrival,
  onChange,
  existing,
  hasKey,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
  existing: Table;
  hasKey: boolean;
}) {
  return (
    <label className="flex items-center gap-1">
      rows
      <select
        className="field h-[24px]"
        aria-label="Existing rows"
        value={arrival.mode}
        onChange={(e) =>
          onChange((a) => ({ ...a, mode: e.target.value as Arrival['mode'], tried: undefined }))
        }
      >
        <option value="replace">replace the existing rows</option>
        {existing.partition && <option value="parts">replace the rows of their parts</option>}
        <option value="add">are added</option>
        <option value="update" disabled={!hasKey}>
          update rows with the same key
        </option>
        <option value="add quantities" disabled={!hasKey}>
          add their quantities to rows with the same key
        </option>
      </select>
      {!hasKey && <span className="text-soft">(no key yet)</span>}
    </label>
  );
}

/** Of which part these rows are. */
export function PartField({
  arrival,
  onChange,
  parts,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
  parts: readonly string[];
}) {
  return (
    <label
      className="flex items-center gap-1"
      title="A part, such as a month or a file, is added or replaced while the other rows stay"
    >
      as part
      <input
        className="field h-[24px] w-[110px]"
        list={`parts-${arrival.key}`}
        placeholder="of all rows"
        value={arrival.part ?? ''}
        onChange={(e) =>
          onChange((a) => ({ ...a, part: e.target.value === '' ? undefined : e.target.value }))
        }
      />
      <datalist id={`parts-${arrival.key}`}>
        {parts.map((part) => (
          <option key={part} value={part} />
        ))}
      </datalist>
    </label>
  );
}

/** What a load does with what it may meet: each field of an arrival, how it is asked, and its answers. */
const CHOICES = [
  {
    field: 'misfits',
    label: 'values that do not fit',
    answers: {
      null: 'become null, and are listed',
      'leave out': 'are left out with their rows, and listed',
      stop: 'stop the load',
    },
  },
  {
    field: 'unknown',
    label: 'members that a dimension does not have',
    answers: {
      list: 'are listed',
      add: 'are added to it as “unmatched”',
      stop: 'stop the load',
    },
  },
  {
    field: 'broken',
    label: 'a blocking claim that would be broken',
    answers: {
      store: 'is told afterwards',
      stop: 'stops the load before it is visible',
    },
  },
] as const satisfies readonly {
  readonly field: keyof Arrival;
  readonly label: string;
  readonly answers: Readonly<Record<string, string>>;
}[];

/** What becomes of values, members and claims that are not as they should be. */
export function ChoiceFields({
  arrival,
  onChange,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
}) {
  return CHOICES.map(({ field, label, answers }) => (
    <label key={field} className="flex items-center gap-1">
      {label}
      <select
        className="field h-[24px]"
        value={arrival[field]}
        onChange={(e) => onChange((a) => ({ ...a, [field]: e.target.value, tried: undefined }))}
      >
        {Object.entries(answers).map(([value, text]) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </select>
    </label>
  ));
}

/** A name under which the load can be done again. */
export function RecipeField({
  arrival,
  onChange,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
}) {
  return (
    <label
      className="flex items-center gap-1"
      title="Save the load under this name to repeat it with a newer file, here or from the command line"
    >
      Recipe
      <input
        className="field h-[24px] w-[170px]"
        placeholder="a name"
        value={arrival.recipe ?? ''}
        onChange={(e) =>
          onChange((a) => ({ ...a, recipe: e.target.value === '' ? undefined : e.target.value }))
        }
      />
    </label>
  );
}

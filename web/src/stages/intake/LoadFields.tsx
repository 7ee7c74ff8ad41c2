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

/** What becomes of values that do not fit their type. */
export function MisfitsField({
  arrival,
  onChange,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
}) {
  return (
    <label className="flex items-center gap-1">
      values that do not fit
      <select
        className="field h-[24px]"
        value={arrival.misfits}
        onChange={(e) =>
          onChange((a) => ({ ...a, misfits: e.target.value as Arrival['misfits'], tried: undefined }))
        }
      >
        <option value="null">become null, and are listed</option>
        <option value="leave out">are left out with their rows, and listed</option>
        <option value="stop">stop the load</option>
      </select>
    </label>
  );
}

/** What becomes of members that a dimension does not have. */
export function UnknownField({
  arrival,
  onChange,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
}) {
  return (
    <label className="flex items-center gap-1">
      members that a dimension does not have
      <select
        className="field h-[24px]"
        value={arrival.unknown}
        onChange={(e) =>
          onChange((a) => ({ ...a, unknown: e.target.value as Arrival['unknown'], tried: undefined }))
        }
      >
        <option value="list">are listed</option>
        <option value="add">are added to it as “unmatched”</option>
        <option value="stop">stop the load</option>
      </select>
    </label>
  );
}

/** Whether the load stops where it would break a blocking claim. */
export function BrokenField({
  arrival,
  onChange,
}: {
  arrival: Arrival;
  onChange: (next: (a: Arrival) => Arrival) => void;
}) {
  return (
    <label className="flex items-center gap-1">
      a blocking claim that would be broken
      <select
        className="field h-[24px]"
        value={arrival.broken}
        onChange={(e) => onChange((a) => ({ ...a, broken: e.target.value as Arrival['broken'] }))}
      >
        <option value="store">is told afterwards</option>
        <option value="stop">stops the load before it is visible</option>
      </select>
    </label>
  );
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

import type { Partition, Table } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';

const EVERY: readonly Partition['every'][] = ['year', 'quarter', 'month', 'value'];
const DAYS = ['date', 'timestamp'];

/** By which column a table is kept in parts, and how long one is. */
export function PartitionFields({ table }: { table: Table }) {
  const { edit } = useModel();
  const { partition } = table;
  const stored = table.columns.filter((c) => c.formula === undefined);
  const by = stored.find((c) => partition && sameName(c.name, partition.by));
  const set = (next: Partition | undefined) => {
    const says =
      next === undefined
        ? `${table.name} in no parts`
        : `${table.name} in parts by ${next.every} of ${next.by}`;
    void edit((newest) => {
      const now = newest.tables.find((t) => sameName(t.name, table.name));
      if (!now) return [];
      const { partition: _, ...rest } = now;
      return [{ do: 'put-tables', name: now.name, value: next ? { ...rest, partition: next } : rest }];
    }, says);
  };
  return (
    <div className="flex flex-wrap items-center gap-2">
      <label className="flex items-center gap-2">
        kept in parts by
        <select
          className="field h-[24px]"
          value={partition?.by ?? ''}
          onChange={(e) => {
            const column = stored.find((c) => c.name === e.target.value);
            if (!column) return set(undefined);
            const isDay = DAYS.includes(column.type);
            const every = isDay ? (partition?.every ?? 'year') : 'value';
            return set({ by: column.name, every });
          }}
        >
          <option value="">no column</option>
          {partition && !by && <option value={partition.by}>{partition.by} (not stored)</option>}
          {stored.map((c) => (
            <option key={c.name}>{c.name}</option>
          ))}
        </select>
      </label>
      {partition && (
        <label className="flex items-center gap-2">
          one for each
          <select
            className="field h-[24px]"
            value={partition.every}
            onChange={(e) => set({ by: partition.by, every: e.target.value as Partition['every'] })}
          >
            {EVERY.filter((every) => every === 'value' || !by || DAYS.includes(by.type)).map((every) => (
              <option key={every}>{every}</option>
            ))}
          </select>
        </label>
      )}
      <span className="text-soft">
        {partition
          ? 'A load changes just the parts that its rows are in.'
          : 'A load may then change one year or month and leave the others.'}
      </span>
    </div>
  );
}

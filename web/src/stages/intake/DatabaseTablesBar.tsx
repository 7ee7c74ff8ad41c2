import type { DatabaseTable } from '@crease/contract';
import { many } from '../../parts/text.ts';
import { keyOf } from './databaseTable.ts';

/** Finds tables, and takes those that are chosen: as a preview, or passed through. */
export function TablesBar({
  search,
  setSearch,
  shown,
  missing,
  setChosen,
  chosen,
  wanted,
  drawing,
  pass,
  draw,
}: {
  search: string;
  setSearch: (next: string) => void;
  shown: readonly DatabaseTable[];
  missing: DatabaseTable['references'];
  setChosen: (next: ReadonlySet<string>) => void;
  chosen: ReadonlySet<string>;
  wanted: readonly DatabaseTable[];
  drawing: { done: number; of: number } | undefined;
  pass: () => Promise<void>;
  draw: () => Promise<void>;
}) {
  return (
    <div className="flex flex-wrap items-center gap-2 border-b border-rule px-4 py-2">
      <input
        className="field w-[150px]"
        placeholder="find a table"
        aria-label="Find a table"
        value={search}
        onChange={(e) => setSearch(e.target.value)}
      />
      <span className="flex-1 whitespace-nowrap text-soft">{many(shown.length, 'table')}</span>
      {missing.length > 0 && (
        <button className="btn" onClick={() => setChosen(new Set([...chosen, ...missing.map(keyOf)]))}>
          Add referenced tables
        </button>
      )}
      <button
        className="btn"
        disabled={wanted.length === 0 || drawing !== undefined}
        title="The tables join the model, and their rows stay in the database: questions and claims are asked there"
        onClick={() => void pass()}
      >
        Pass through
      </button>
      <button
        className="btn btn-act"
        disabled={wanted.length === 0 || drawing !== undefined}
        onClick={() => void draw()}
      >
        {drawing
          ? `Reading samples … ${drawing.done} of ${drawing.of}`
          : `Preview ${many(wanted.length, 'table')}`}
      </button>
    </div>
  );
}

import { useState } from 'react';
import type { LoadEntry, LoadsState, RecipeState, UploadState } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { unknownText } from './unknownText.ts';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { bytes, count, many, moment } from '../../parts/text.ts';
import { CorrectionsSection } from './CorrectionsSection.tsx';
import { PlansSection } from './PlansSection.tsx';

const RECIPE_SAYS: Readonly<Record<RecipeState['mode'], string>> = {
  replace: 'replaces its rows',
  parts: 'replaces the parts of its rows',
  add: 'adds rows',
  update: 'updates rows by key',
  'add quantities': 'adds quantities by key',
};

/** Recipes, to be done again, and what has been loaded when. */
export function LoadsView({
  onBack,
  onDrawn,
}: {
  onBack: () => void;
  onDrawn: (uploads: readonly UploadState[], recipe: RecipeState) => void;
}) {
  const { id, audience, fail, tell } = useModel();
  const { data, error, mutate } = useAnswer(api.loads.get, { id }, { revalidateOnFocus: true });
  const [busy, setBusy] = useState('');
  const again = async (recipe: RecipeState) => {
    if (!recipe.origin) return;
    const { connection, ...table } = recipe.origin;
    setBusy(recipe.name);
    try {
      onDrawn(await ask(api.databases.sample, { connection }, { tables: [table] }), recipe);
    } catch (reason) {
      fail(reason);
    }
    setBusy('');
  };
  const act = async (work: () => Promise<unknown>, text: string) => {
    try {
      await work();
      await mutate();
      tell({ tone: 'plain', text });
    } catch (reason) {
      fail(reason);
    }
  };
  const revert = (entry: LoadEntry) =>
    act(
      () => ask(api.loads.revert, { id, load: entry.id }),
      `Reverted: ${entry.table} has the rows from before the load of ${entry.source}`,
    );
  const drop = async (recipe: RecipeState) => {
    try {
      await ask(api.loads.removeRecipe, { id, recipe: recipe.name });
      await mutate();
      tell({ tone: 'plain', text: `Recipe ${recipe.name} removed; rows that it loaded stay` });
    } catch (reason) {
      fail(reason);
    }
  };
  return (
    <>
      <LeafHead title="Loads">
        <button className="btn" onClick={onBack}>
          Back to Intake
        </button>
      </LeafHead>
      <div className="min-h-0 flex-1 overflow-auto">
        {error && <p className="p-4 text-vermilion">{error.message}</p>}
        <Recipes data={data} busy={busy} again={again} drop={drop} />
        {data && <PlansSection recipes={data.recipes} />}
        {!audience && <CorrectionsSection />}
        <LoadLog data={data} revert={revert} />
        {data && (
          <KeptRows
            data={data}
            onKeep={(keep) =>
              void act(
                async () => ask(api.settings.put, {}, { ...(await ask(api.settings.get, {})), keep }),
                'Saved',
              )
            }
            onRemove={() => void act(() => ask(api.loads.removeOldRows, { id }), 'Old rows removed')}
          />
        )}
      </div>
    </>
  );
}

const MOST_NAMED = 4;
const partsText = (parts: readonly string[]): string =>
  parts.length <= MOST_NAMED ? parts.join(', ') : many(parts.length, 'part');

/** Rows of before, which undo and revert can bring back, and how long they are kept. */
function KeptRows({
  data: { kept, keep },
  onKeep,
  onRemove,
}: {
  data: LoadsState;
  onKeep: (keep: LoadsState['keep']) => void;
  onRemove: () => void;
}) {
  const field = (name: keyof LoadsState['keep'], label: string, unit = 1) => (
    <label className="flex items-center gap-1">
      {label}
      <input
        type="number"
        min={0}
        className="field w-[76px]"
        defaultValue={keep[name] / unit}
        key={keep[name]}
        onBlur={(e) => {
          const value = Math.max(0, Math.round(Number(e.target.value) * unit));
          if (value !== keep[name]) onKeep({ ...keep, [name]: value });
        }}
      />
    </label>
  );
  return (
    <section aria-label="Old rows" className="border-t border-rule-strong px-4 py-3">
      <h2 className="text-[14px]">Old rows</h2>
      <p className="mt-1 text-soft">
        Undo and revert restore rows that a load replaced. Stored now: {many(kept.versions, 'version')},{' '}
        {bytes(kept.bytes)}. After each load, versions beyond this number and older than this many days are
        removed, and the oldest ones beyond the size limit.
      </p>
      <p className="mt-2 flex flex-wrap items-center gap-4">
        {field('versions', 'versions of a table')}
        {field('days', 'days')}
        {field('bytes', 'MB at most', 1_000_000)}
        <button className="btn" disabled={kept.versions === 0} onClick={onRemove}>
          Remove old rows
        </button>
      </p>
    </section>
  );
}

function outcomeText({
  outcome,
  message,
  counts,
  removed = 0,
  leftOut = 0,
  unknown = [],
}: LoadEntry): string {
  if (outcome !== 'done' || !counts) return message ?? outcome;
  const parts: readonly (readonly [number, string])[] = [
    [counts.added, 'new'],
    [counts.changed, 'changed'],
    [counts.unchanged, 'unchanged'],
    [counts.refused, 'refused'],
    [removed, 'gone'],
    [leftOut, 'left out'],
  ];
  return [
    ...parts.filter(([n], i) => n > 0 || i === 0).map(([n, what]) => `${count(n)} ${what}`),
    ...unknown.map(unknownText),
  ].join(', ');
}

/** Loads with a name, to be done again. */
function Recipes({
  data,
  busy,
  again,
  drop,
}: {
  data: LoadsState | undefined;
  busy: string;
  again: (recipe: RecipeState) => Promise<void>;
  drop: (recipe: RecipeState) => Promise<void>;
}) {
  return (
    <section aria-label="Recipes" className="border-b border-rule-strong">
      <h2 className="px-4 pt-3 text-[14px]">Recipes</h2>
      {data?.recipes.length === 0 && (
        <p className="px-4 py-2 text-soft">
          None yet. Give a load a name under “Recipe” to repeat it with a newer file, here or by{' '}
          <code>crease load NAME FILE</code>.
        </p>
      )}
      <ul className="pb-2">
        {data?.recipes.map((r) => (
          <li key={r.name} className="flex items-center gap-3 px-4 py-1">
            <b className="w-[130px] truncate">{r.name}</b>
            <span className="min-w-0 flex-1 truncate text-soft">
              {r.table}: {RECIPE_SAYS[r.mode]}
              {r.origin ? `, from ${r.origin.connection}` : ', from a file'}
            </span>
            {r.origin ? (
              <button className="btn h-[24px]" disabled={busy !== ''} onClick={() => void again(r)}>
                {busy === r.name ? 'Asking …' : 'Load again'}
              </button>
            ) : (
              <code className="text-soft">crease load {/\s/.test(r.name) ? `'${r.name}'` : r.name} FILE</code>
            )}
            <button
              className="btn btn-bare h-[24px]"
              onClick={() => void drop(r)}
              aria-label={`Remove the recipe ${r.name}`}
            >
              Remove
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What has been loaded when. */
function LoadLog({
  data,
  revert,
}: {
  data: LoadsState | undefined;
  revert: (entry: LoadEntry) => Promise<void>;
}) {
  return (
    <section aria-label="Log">
      <h2 className="px-4 pt-3 text-[14px]">Loads so far</h2>
      {data?.log.length === 0 && <p className="px-4 py-2 text-soft">No loads yet.</p>}
      {data && data.log.length > 0 && (
        <table className="grid-plain">
          <thead>
            <tr>
              <th scope="col">when</th>
              <th scope="col">table</th>
              <th scope="col">from</th>
              <th scope="col">rows</th>
              <th scope="col">
                <span className="sr-only">Revert</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {data.log.map((entry) => (
              <LogRow key={entry.id} entry={entry} revert={revert} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** A load: when, of what, from where, how it ended, and its way back. */
function LogRow({ entry, revert }: { entry: LoadEntry; revert: (entry: LoadEntry) => Promise<void> }) {
  const { id } = useModel();
  return (
    <tr>
      <td className="whitespace-nowrap text-soft">
        <VerdictMark
          verdict={entry.outcome === 'done' ? 'holds' : entry.outcome === 'failed' ? 'broken' : 'unchecked'}
          size={10}
        />{' '}
        {moment(entry.at)}
      </td>
      <td className="font-semibold">
        {entry.table}
        {entry.parts && <span className="font-normal text-soft"> {partsText(entry.parts)}</span>}
      </td>
      <td className="text-soft">
        {entry.source}
        {entry.recipe && `, by ${entry.recipe}`}
      </td>
      <td>
        {outcomeText(entry)}
        {entry.hasRecords && (
          <a
            className="ml-2 underline"
            href={`/api${addressOf(api.loads.leftOut, { id, load: entry.id })}`}
            download
          >
            records not taken
          </a>
        )}
      </td>
      <td className="whitespace-nowrap">
        {entry.reverted !== undefined ? (
          <span className="text-soft">reverted</span>
        ) : entry.revision !== undefined ? (
          <button
            className="btn btn-bare h-[24px]"
            onClick={() => void revert(entry)}
            aria-label={`Revert the load of ${entry.table}`}
          >
            Revert
          </button>
        ) : null}
      </td>
    </tr>
  );
}

import { useCallback, useEffect, useRef, useState } from 'react';
import type { DragEvent } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { FileUp, Sparkles } from 'lucide-react';
import { api } from '@crease/contract';
import type { JobState, RecipeState, UploadState } from '@crease/contract';
import { freeName, connectionOf, fileOf, isTableOf } from '@crease/core/model';
import type { Table } from '@crease/core/model';
import { ask, sendFile } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { filesOfDrop, filesOfFolder, takeDropped } from '../../state/dropped.ts';
import { useGo } from '../../state/selection.ts';
import { useModel } from '../../state/model.tsx';
import { Blank, LeafHead } from '../../frame/Leaves.tsx';
import type { Arrival } from './arrival.ts';
import {
  arrivingColumns,
  byRecipe,
  correctionsOf,
  isReadOtherwise,
  laidOutAsBefore,
  namingFault,
  orderOf,
  tableName,
  typedAsBefore,
} from './arrival.ts';
import { ArrivalCard } from './ArrivalCard.tsx';
import { ArrivalsBar } from './ArrivalsBar.tsx';
import { isSqlFile, SqlDesignCard } from './SqlDesigns.tsx';
import { StoredTables } from './StoredTables.tsx';

/** What is on its way in, each shown before anything is stored, above the tables that the model has. */
export function Arrivals({
  onShow,
  drawn,
  recipe,
  onDrawn,
}: {
  onShow: (view: string, table?: string) => void;
  /** Tables of databases that have been asked for. */
  drawn: readonly UploadState[];
  /** By which they are to be loaded. */
  recipe: RecipeState | undefined;
  onDrawn: (uploads: readonly UploadState[]) => void;
}) {
  const { id, model, state, fail, tell } = useModel();
  const [arrivals, setArrivals] = useState<readonly Arrival[]>([]);
  const [over, setOver] = useState(false);
  const chooser = useRef<HTMLInputElement>(null);
  const folderChooser = useRef<HTMLInputElement>(null);

  const change = useCallback(
    (key: string, next: (a: Arrival) => Arrival) =>
      setArrivals((all) => all.map((a) => (a.key === key ? next(a) : a))),
    [],
  );
  const drop = useCallback((arrival: Arrival) => {
    arrival.cancel.abort();
    // It may be gone already.
    if (arrival.upload) void ask(api.intake.drop, { upload: arrival.upload.id }).catch(() => undefined);
    setArrivals((all) => all.filter((a) => a.key !== arrival.key));
  }, []);

  const { data: loads, mutate: refreshLoads } = useAnswer(api.loads.get, { id }, { revalidateOnFocus: true });

  /** Previews are asked for as fast as one types: only the last answer counts. */
  const asked = useRef(new Map<string, number>());
  const look = async (arrival: Arrival, upload: UploadState, by?: RecipeState): Promise<void> => {
    const { key } = arrival;
    const turn = (asked.current.get(key) ?? 0) + 1;
    asked.current.set(key, turn);
    const { preview } = await ask(api.intake.preview, { upload: upload.id }, correctionsOf(arrival));
    if (asked.current.get(key) !== turn) return;
    const had = existing(arrival.name);
    if (by)
      return look(
        byRecipe({ ...arrival, columns: arrivingColumns(preview, [], had), state: 'ready' }, by),
        upload,
      );
    // A table that is loaded again is read as the model says, however its new file happens to look, or is
    // laid out.
    if (had) {
      const typed = typedAsBefore(had, preview, arrival.columns);
      if (isReadOtherwise(typed, arrival.columns))
        return look({ ...arrival, state: 'ready', columns: typed }, upload);
    }
    change(key, (a) => ({
      ...a,
      upload,
      preview,
      state: 'ready',
      ...said(arrival),
      columns: arrivingColumns(preview, arrival.columns, existing(a.name)),
    }));
  };
  const said = ({ dialect, nulls }: Arrival) => ({
    ...(dialect ? { dialect } : {}),
    ...(nulls ? { nulls } : {}),
  });
  const existing = (name: string) => model.tables.find((t) => t.name.toLowerCase() === name.toLowerCase());

  /** SQL files that declare tables: they become a design. */
  const [designs, setDesigns] = useState<readonly File[]>([]);
  const bring = async (all: readonly File[]) => {
    setDesigns((before) => [...before, ...all.filter((f) => isSqlFile(f.name))]);
    const files = all.filter((f) => !isSqlFile(f.name));
    const begun = files.map((file): Arrival => ({
      key: crypto.randomUUID(),
      file,
      name: tableName(file.name),
      state: 'coming',
      progress: 0,
      cancel: new AbortController(),
      columns: [],
      misfits: 'null',
      mode: 'replace',
    }));
    setArrivals((all) => [...all, ...begun]);
    for (const arrival of begun) {
      try {
        const upload = await sendFile(
          files[begun.indexOf(arrival)]!,
          (progress) => change(arrival.key, (a) => ({ ...a, progress })),
          arrival.cancel.signal,
        );
        await look({ ...arrival, ...laidOutAsBefore(existing(arrival.name)) }, upload);
      } catch (error) {
        if (error instanceof DOMException) continue;
        change(arrival.key, (a) => ({ ...a, state: 'wrong', fault: (error as Error).message }));
      }
    }
  };

  const bringLatest = useRef(bring);
  useEffect(() => {
    const dropped = takeDropped();
    if (dropped.length > 0) void bringLatest.current(dropped);
  }, []);

  /** Tables of databases have come already; those that the model has keep their names there. */
  const receive = async (uploads: readonly UploadState[], by?: RecipeState) => {
    const named = new Set([...model.tables, ...arrivals].map((t) => t.name.toLowerCase()));
    for (const upload of uploads) {
      const { origin } = upload;
      const held = origin && model.tables.find((t) => isTableOf(t, origin.connection, origin));
      // Of two schemas' tables of one name the second says its schema.
      const twice = named.has(upload.name.toLowerCase()) && origin?.schema;
      const name = held?.name ?? (twice ? `${origin.schema!}_${upload.name}` : upload.name);
      named.add(name.toLowerCase());
      const come: Arrival = {
        key: crypto.randomUUID(),
        file: {
          name: `${origin?.connection}: ${origin?.schema ? `${origin.schema}.` : ''}${origin?.table}`,
          size: upload.bytes,
        },
        name,
        state: 'coming',
        progress: 1,
        cancel: new AbortController(),
        columns: [],
        misfits: 'null',
        mode: 'replace',
      };
      const arrival = by ? byRecipe(come, by) : come;
      setArrivals((all) => [...all, arrival]);
      try {
        await look(arrival, upload, by);
      } catch (error) {
        change(arrival.key, (a) => ({ ...a, upload, state: 'wrong', fault: (error as Error).message }));
      }
    }
  };
  useEffect(() => {
    if (drawn.length === 0) return;
    onDrawn([]);
    void receive(drawn, recipe);
    // Asked once for each list that is drawn.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [drawn]);
  const drawAgain = async (table: Table) => {
    const source = connectionOf(table);
    if (!source) return;
    const { connection, schema, table: name } = source;
    try {
      const uploads = await ask(
        api.databases.sample,
        { connection },
        { tables: [{ table: name, ...(schema === undefined ? {} : { schema }) }] },
      );
      await receive(uploads);
    } catch (error) {
      fail(error);
    }
  };

  /** Tables that a file may be loaded into: those that have their rows from files, or none yet. */
  const loadable = model.tables
    .filter((t) => t.source === undefined || fileOf(t) !== undefined)
    .map((t) => t.name);
  /** Chooses where the rows go: into a table that is there, read as the model says, or into a new one. */
  const into = (arrival: Arrival, table: string | undefined) => {
    const name = table ?? freeName(tableName(arrival.file.name), model.tables);
    const next = {
      ...arrival,
      name,
      mode: 'replace' as const,
      part: undefined,
      tried: undefined,
      columns: arrival.columns.map((c) => (c.known ? { ...c, said: false, known: false } : c)),
      ...laidOutAsBefore(existing(name)),
    };
    change(arrival.key, () => next);
    if (next.upload) void look(next, next.upload).catch(fail);
  };

  const partsOf = (table: string | undefined) =>
    (state.stored.find((s) => s.name === table)?.parts ?? [])
      .map(({ name }) => name)
      .filter((name) => name !== '');
  const ready = arrivals.filter(
    (a) => a.state === 'ready' && a.columns.some((c) => c.taken) && namingFault(a.columns) === undefined,
  );
  const importReady = async () => {
    try {
      const job = await ask(api.intake.load, { id }, { tables: ready.map(orderOf) });
      setArrivals((all) => all.map((a) => (ready.includes(a) ? { ...a, state: 'storing' } : a)));
      await ended(job.id, (state) => {
        if (state.state === 'done') {
          setArrivals((all) => all.filter((a) => !ready.some((r) => r.key === a.key)));
          tell({ tone: 'plain', text: `Imported: ${state.detail}` });
          void refreshLoads();
        } else {
          setArrivals((all) =>
            all.map((a) =>
              ready.some((r) => r.key === a.key)
                ? { ...a, state: 'ready', ...(state.faults[0] ? { fault: state.faults.join(' ') } : {}) }
                : a,
            ),
          );
          tell({
            tone: state.state === 'failed' ? 'wrong' : 'plain',
            text: state.state === 'failed' ? state.faults.join('\n') : 'Cancelled: nothing was stored',
          });
        }
      });
    } catch (error) {
      fail(error);
    }
  };

  /** Says what would happen, and stores nothing. */
  const tryOut = async (arrival: Arrival) => {
    try {
      change(arrival.key, (a) => ({ ...a, state: 'storing', tried: undefined, fault: undefined }));
      const job = await ask(api.intake.load, { id }, { tables: [orderOf(arrival)], dryRun: true });
      await ended(job.id, (state) =>
        change(arrival.key, (a) => ({
          ...a,
          state: 'ready',
          ...(state.loads?.[0] ? { tried: state.loads[0] } : {}),
          ...(state.faults[0] ? { fault: state.faults.join(' ') } : {}),
        })),
      );
    } catch (error) {
      change(arrival.key, (a) => ({ ...a, state: 'ready' }));
      fail(error);
    }
  };

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void filesOfDrop(event.dataTransfer).then(bring, fail);
  };

  return (
    <>
      <LeafHead title="Intake">
        <input
          ref={chooser}
          type="file"
          id="files"
          className="sr-only"
          multiple
          accept=".csv,.tsv,.txt,.gz,.parquet,.sql,.ddl"
          onChange={(e) => {
            void bring([...(e.target.files ?? [])]);
            e.target.value = '';
          }}
        />
        <input
          ref={folderChooser}
          type="file"
          id="folder"
          aria-label="A folder of files"
          className="sr-only"
          tabIndex={-1}
          multiple
          {...{ webkitdirectory: '' }}
          onChange={(e) => {
            void bring(filesOfFolder([...(e.target.files ?? [])]));
            e.target.value = '';
          }}
        />
        <label htmlFor="files" className="btn cursor-pointer">
          <FileUp size={14} aria-hidden /> Choose files
        </label>
        <button className="btn" onClick={() => onShow('databases')}>
          Databases
        </button>
        <MakeTable onShow={onShow} onFolder={() => folderChooser.current?.click()} />
        {state.stored.length > 0 && (
          <button className="btn" onClick={() => onShow('loads')}>
            Loads
          </button>
        )}
        <button
          className="btn"
          onClick={() => onShow('draft')}
          disabled={state.stored.length === 0}
          title="Propose keys, relationships, roles and uses from the rows"
        >
          <Sparkles size={14} aria-hidden /> Draft a star
        </button>
      </LeafHead>
      <div
        className={`min-h-0 flex-1 overflow-auto ${over ? 'bg-raised outline-2 -outline-offset-4 outline-dashed outline-rule-strong' : ''}`}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={onDrop}
      >
        {arrivals.length > 0 && (
          <ArrivalsBar
            arrivals={arrivals}
            ready={ready.length}
            onImport={() => void importReady()}
            onNaming={() => {
              for (const a of arrivals)
                if (a.upload && a.state === 'ready') void look(a, a.upload).catch(fail);
            }}
          />
        )}
        {designs.map((file, i) => (
          <SqlDesignCard
            key={`${file.name}${i}`}
            file={file}
            onDone={() => setDesigns((before) => before.filter((f) => f !== file))}
          />
        ))}
        {arrivals.map((a) => (
          <ArrivalCard
            key={a.key}
            arrival={a}
            existing={existing(a.name)}
            tables={loadable}
            onInto={(table) => into(a, table)}
            parts={partsOf(existing(a.name)?.name)}
            onChange={(next) => change(a.key, next)}
            onLook={(next) => void look(next, next.upload!).catch(fail)}
            onDrop={() => drop(a)}
            onTry={() => void tryOut(a)}
            recipes={loads?.recipes ?? []}
          />
        ))}
        {model.tables.length === 0 && arrivals.length === 0 && designs.length === 0 ? (
          <div className="flex h-full flex-col">
            <Blank
              act={
                <label htmlFor="files" className="btn btn-act cursor-pointer">
                  Choose files
                </label>
              }
            >
              Drop delimited text files here, gzipped or not, Parquet files, a folder of them, or a SQL file
              that creates tables; or choose tables of a database. Everything is shown before it is stored.
            </Blank>
          </div>
        ) : (
          <StoredTables
            onEdit={(table) => onShow('members', table)}
            onDraw={(table) => void drawAgain(table)}
          />
        )}
      </div>
    </>
  );
}

/** Other ways to tables. */
function MakeTable({ onShow, onFolder }: { onShow: (view: string) => void; onFolder: () => void }) {
  const go = useGo();
  return (
    <Menu>
      <MenuButton className="btn">New table</MenuButton>
      <MenuItems
        anchor={{ to: 'bottom start', gap: 4 }}
        className="z-30 border border-rule-strong bg-raised py-1 shadow-lg outline-none"
      >
        {(
          [
            ['Import a folder of files', onFolder],
            ['Type or paste rows', () => onShow('members')],
            ['Generate a calendar', () => onShow('calendar')],
            ['Design a table', () => go('shape', undefined, undefined, 'design')],
          ] as const
        ).map(([text, act]) => (
          <MenuItem key={text}>
            <button className="block w-full px-4 py-1 text-left data-focus:bg-paper" onClick={act}>
              {text}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}

/** Follows a job to its end, also if its events were missed. */
async function ended(job: string, tell: (state: JobState) => void): Promise<void> {
  for (;;) {
    const state = await ask(api.jobs.get, { job });
    if (state.state !== 'running') return tell(state);
    await new Promise((resume) => setTimeout(resume, 250));
  }
}

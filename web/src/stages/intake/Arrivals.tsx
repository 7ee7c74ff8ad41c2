import { useEffect, useRef, useState } from 'react';
import type { DragEvent } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { FileUp, Sparkles } from 'lucide-react';
import type { RecipeState, UploadState } from '@crease/contract';
import { isPassedThrough } from '@crease/core/model';
import { filesOfDrop, filesOfFolder, takeDropped } from '../../state/dropped.ts';
import { useModel } from '../../state/model.tsx';
import { useGo } from '../../state/selection.ts';
import { Blank, LeafHead } from '../../frame/Leaves.tsx';
import { ArrivalCard } from './ArrivalCard.tsx';
import { ArrivalsBar } from './ArrivalsBar.tsx';
import { isSqlFile, SqlDesignCard } from './SqlDesigns.tsx';
import { StoredTables } from './StoredTables.tsx';
import { useArrivals } from './useArrivals.ts';

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
  const { model, fail } = useModel();
  const work = useArrivals(drawn, recipe, onDrawn);
  const { arrivals, ready, existing } = work;
  /** SQL files that declare tables: they become a design. */
  const [designs, setDesigns] = useState<readonly File[]>([]);
  const [over, setOver] = useState(false);
  const folderChooser = useRef<HTMLInputElement>(null);
  const bring = async (files: readonly File[]) => {
    setDesigns((before) => [...before, ...files.filter((f) => isSqlFile(f.name))]);
    await work.bring(files.filter((f) => !isSqlFile(f.name)));
  };
  const bringLatest = useRef(bring);
  useEffect(() => {
    const dropped = takeDropped();
    if (dropped.length > 0) void bringLatest.current(dropped);
  }, []);

  const onDrop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void filesOfDrop(event.dataTransfer).then(bring, fail);
  };

  return (
    <>
      <IntakeHead bring={bring} folderChooser={folderChooser} onShow={onShow} />
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
            onImport={work.importReady}
            onNaming={() => {
              for (const a of arrivals) if (a.upload && a.state === 'ready') work.look(a);
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
            tables={work.loadable}
            onInto={(table) => work.into(a, table)}
            parts={work.partsOf(existing(a.name)?.name)}
            onChange={(next) => work.change(a.key, next)}
            onLook={work.look}
            onDrop={() => work.drop(a)}
            onTry={() => work.tryOut(a)}
            recipes={work.recipes}
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
            onDraw={(table) => void work.drawAgain(table)}
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

/** Where rows may come from. */
function IntakeHead({
  bring,
  folderChooser,
  onShow,
}: {
  bring: (files: readonly File[]) => Promise<void>;
  folderChooser: React.RefObject<HTMLInputElement | null>;
  onShow: (view: string, table?: string) => void;
}) {
  const { state, model } = useModel();
  return (
    <LeafHead title="Intake">
      <input
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
        disabled={state.stored.length === 0 && !model.tables.some(isPassedThrough)}
        title="Propose keys, relationships, roles and uses from the rows"
      >
        <Sparkles size={14} aria-hidden /> Draft a star
      </button>
    </LeafHead>
  );
}

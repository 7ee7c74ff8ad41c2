import { useDeferredValue, useMemo, useState } from 'react';
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/react';
import { Plus } from 'lucide-react';
import { api } from '@crease/contract';
import { sameName } from '@crease/core/model';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { saveFile } from '../../state/save.ts';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { count, many } from '../../parts/text.ts';
import { AddsUp } from './AddsUp.tsx';
import { BulkPanel } from './BulkPanel.tsx';
import { BuiltOfPicture } from './BuiltOfPicture.tsx';
import type { Entry, EntryKind, SortBy } from './catalog.ts';
import { catalogOf, ENTRY_KINDS, linesOf, matchingEntries, sortedEntries, usedByOf } from './catalog.ts';
import { FromColumns } from './FromColumns.tsx';
import type { CatalogView } from './MeasureCatalog.tsx';
import { CATALOG_VIEWS, MeasureCatalog } from './MeasureCatalog.tsx';
import { MeasureDesign } from './MeasureDesign.tsx';
import { MeasureValues } from './MeasureValues.tsx';
import { PastePanel } from './PastePanel.tsx';
import { csvOfEntries, markdownOfEntries, sheetOfEntries } from './sheet.ts';

const SORTS: readonly SortBy[] = ['model', 'name', 'table', 'folder', 'used by'];
type Open =
  | { readonly panel: 'new' }
  | { readonly panel: 'columns' }
  | { readonly panel: 'paste'; readonly text: string };

/** What the formulas use, by the checked trees; while the answer is on its way there is nothing. */
function useUses() {
  const { id, state } = useModel();
  const { data } = useAnswer(
    api.questions.formulaUses,
    { id },
    { of: state.revision.id, keepPreviousData: true },
  );
  return useMemo(() => {
    const all = [...(data?.measures ?? []), ...(data?.columns ?? [])];
    return {
      usedBy: usedByOf(all),
      uses: new Map(all.map((u) => [u.name.toLowerCase(), [...u.measures, ...u.columns]])),
      broken: new Set(all.filter((u) => u.type === null).map((u) => u.name.toLowerCase())),
    };
  }, [data]);
}

/** The entries that are shown, by what the address asks for. */
function useCatalog() {
  const { model } = useModel();
  const [search, setSearch] = useParam('search');
  const [kindParam, setKind] = useParam('kind');
  const [sortParam, setSort] = useParam('sort');
  const [viewParam, setView] = useParam('show');
  const kind = kindParam !== undefined && kindParam in ENTRY_KINDS ? (kindParam as EntryKind) : 'all';
  const sort = SORTS.find((s) => s === sortParam) ?? 'model';
  const view: CatalogView = CATALOG_VIEWS.find((v) => v === viewParam) ?? 'formulas';
  const formulas = useUses();
  // What is typed shows at once; the list follows when there is time.
  const searched = useDeferredValue(search ?? '');
  const all = useMemo(() => catalogOf(model), [model]);
  const shown = useMemo(
    () => sortedEntries(matchingEntries(all, searched, kind), sort, formulas.usedBy),
    [all, searched, kind, sort, formulas.usedBy],
  );
  const lines = useMemo(() => linesOf(shown, sort), [shown, sort]);
  return { search, setSearch, kind, setKind, sort, setSort, view, setView, all, shown, lines, ...formulas };
}

/** Measures: a catalog of all that is worked out, the formula of the selected one, its values beside it. */
export function MeasuresStage() {
  const { model, claims, tell, fail } = useModel();
  const [selection, select] = useSelection();
  const [open, setOpen] = useState<Open>();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const catalog = useCatalog();
  const { all, shown, lines, usedBy, uses, view } = catalog;
  const measures = model.measures ?? [];
  const current =
    open === undefined && selection?.kind === 'measure'
      ? measures.find((m) => sameName(m.name, selection.name))
      : undefined;
  const broken = useMemo(
    () => new Set([...catalog.broken, ...brokenMeasures(claims?.claims ?? [])]),
    [catalog.broken, claims],
  );
  const bulk = all.filter((entry) => chosen.has(entry.name));
  const openEntry = (entry: Entry) => {
    setOpen(undefined);
    if (entry.kind === 'measure') select({ kind: 'measure', name: entry.name });
    else if (entry.kind === 'period') select({ kind: 'measure', name: entry.base! });
    else select({ kind: entry.kind, name: entry.name });
  };
  const exported = bulk.length > 0 ? bulk : shown;
  const copy = () =>
    navigator.clipboard.writeText(sheetOfEntries(exported)).then(
      () => tell({ tone: 'plain', text: `Copied ${many(exported.length, 'row')}` }),
      (error: unknown) => fail(error),
    );
  const acts: readonly (readonly [string, () => void])[] = [
    ['Measures from columns', () => setOpen({ panel: 'columns' })],
    ['Paste measures', () => setOpen({ panel: 'paste', text: '' })],
    ['Copy for a spreadsheet', () => void copy()],
    ['Save as CSV', () => saveFile(`${model.name} measures.csv`, csvOfEntries(exported), 'text/csv')],
    [
      'Save as Markdown',
      () =>
        saveFile(
          `${model.name} measures.md`,
          markdownOfEntries(model.title ?? model.name, exported),
          'text/markdown',
        ),
    ],
  ];
  const design = (
    <>
      <LeafHead title="Measures" note={noteOf(measures.length, all.length, shown.length)}>
        <MoreActs acts={acts} />
        <button
          className="btn"
          onClick={() => {
            select(undefined);
            setOpen({ panel: 'new' });
          }}
        >
          <Plus size={14} aria-hidden /> Measure
        </button>
      </LeafHead>
      {(current ?? open?.panel === 'new') && (
        <MeasureDesign
          key={current?.name ?? ' new measure'}
          measure={current}
          uses={uses}
          usedBy={usedBy}
          onDone={(name) => {
            setOpen(undefined);
            if (name !== undefined) select({ kind: 'measure', name });
          }}
        />
      )}
      {open?.panel === 'columns' && <FromColumns onDone={() => setOpen(undefined)} />}
      {open?.panel === 'paste' && <PastePanel first={open.text} onDone={() => setOpen(undefined)} />}
      {bulk.length > 0 && <BulkPanel entries={bulk} usedBy={usedBy} onClear={() => setChosen(new Set())} />}
      {all.length === 0 && open !== undefined ? null : all.length === 0 ? (
        <Blank
          act={
            <button className="btn btn-act" onClick={() => setOpen({ panel: 'new' })}>
              Add a measure
            </button>
          }
        >
          No measures yet. A measure is a formula over the rows that a context leaves, such as count(loan).
        </Blank>
      ) : (
        <>
          <CatalogTools {...catalog} />
          <MeasureCatalog
            lines={lines}
            view={view}
            usedBy={usedBy}
            uses={uses}
            broken={broken}
            chosen={chosen}
            current={current?.name ?? selection?.name}
            onChoose={setChosen}
            onOpen={openEntry}
            onPaste={(text) => setOpen({ panel: 'paste', text })}
          />
        </>
      )}
    </>
  );
  return (
    <Leaves
      label="Measures"
      design={design}
      evidence={
        <EvidenceLeaf>
          {current && (
            <>
              <MeasureValues key={current.name} measure={current} />
              <BuiltOfPicture name={current.name} uses={uses} usedBy={usedBy} />
              <AddsUp key={`adds up ${current.name}`} measure={current} />
            </>
          )}
        </EvidenceLeaf>
      }
    />
  );
}

const noteOf = (measures: number, all: number, shown: number): string =>
  shown === all ? many(measures, 'measure') : `${count(shown)} of ${count(all)} shown`;

/** Measures of which something is broken, in lower case; a perspective's claim is not about its measures. */
const brokenMeasures = (
  claims: readonly {
    readonly verdict: string;
    readonly about: readonly {
      readonly measure?: string | undefined;
      readonly table?: string | undefined;
      readonly perspective?: string | undefined;
    }[];
  }[],
): string[] =>
  claims
    .filter((claim) => claim.verdict === 'broken')
    .flatMap(({ about }) =>
      about.flatMap(({ measure, table, perspective }) =>
        measure !== undefined && table === undefined && perspective === undefined
          ? [measure.toLowerCase()]
          : [],
      ),
    );

function MoreActs({ acts }: { acts: readonly (readonly [string, () => void])[] }) {
  return (
    <Menu>
      <MenuButton className="btn">More</MenuButton>
      <MenuItems anchor="bottom end" className="z-20 border border-rule-strong bg-leaf py-1 shadow">
        {acts.map(([title, act]) => (
          <MenuItem key={title}>
            <button className="block w-full px-3 py-1 text-left data-[focus]:bg-raised" onClick={act}>
              {title}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}

/** What is listed, how it is sorted, and what is told of it. */
function CatalogTools({
  search,
  setSearch,
  kind,
  setKind,
  sort,
  setSort,
  view,
  setView,
}: ReturnType<typeof useCatalog>) {
  return (
    <div className="flex items-center gap-2 border-b border-rule px-4 py-[6px]">
      <input
        className="field min-w-0 flex-1"
        type="search"
        placeholder="Filter"
        aria-label="Filter"
        value={search ?? ''}
        onChange={(e) => setSearch(e.target.value || undefined)}
      />
      <select
        className="field"
        aria-label="Kinds listed"
        value={kind}
        onChange={(e) => setKind(e.target.value === 'all' ? undefined : e.target.value)}
      >
        <option value="all">everything derived</option>
        {Object.entries(ENTRY_KINDS).map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </select>
      <select
        className="field"
        aria-label="Sorted by"
        value={sort}
        onChange={(e) => setSort(e.target.value === 'model' ? undefined : e.target.value)}
      >
        {SORTS.map((s) => (
          <option key={s} value={s}>
            {s === 'model' ? 'in folders' : `by ${s}`}
          </option>
        ))}
      </select>
      <select
        className="field"
        aria-label="Told of each"
        value={view}
        onChange={(e) => setView(e.target.value === 'formulas' ? undefined : e.target.value)}
      >
        {CATALOG_VIEWS.map((v) => (
          <option key={v}>{v}</option>
        ))}
      </select>
    </div>
  );
}

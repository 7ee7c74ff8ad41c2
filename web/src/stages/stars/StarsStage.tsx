import type { Relationship } from '@crease/core/model';
import { useEffect, useMemo, useState } from 'react';
import { Link2 } from 'lucide-react';
import type { Match } from '@crease/core/relate';
import { api } from '@crease/contract';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import type { ColumnEnd } from '../../parts/diagram/layout.ts';
import { Diagram } from '../../parts/diagram/Diagram.tsx';
import { many, percent } from '../../parts/text.ts';
import { reachedFrom } from '@crease/core/stars';
import { Briefs } from './Briefs.tsx';
import { DiagramBar } from './DiagramBar.tsx';
import { Matrix } from './Matrix.tsx';
import { RelateForm } from './RelateForm.tsx';
import { RelationshipDesign } from './RelationshipDesign.tsx';
import { StarAdvice } from './StarAdvice.tsx';
import { useDiagram } from './useDiagram.ts';
import { ReachPanel, WayPanel } from './WayPanel.tsx';

const VIEWS = ['diagram', 'matrix', 'briefs', 'advice'] as const;

/** The stars: a diagram of tables and relationships, or the matrix of facts against dimensions. */
export function StarsStage() {
  const { id, model, names, claims } = useModel();
  const [selection, select] = useSelection();
  const [asked, setView] = useParam('view');
  const view = VIEWS.find((v) => v === asked) ?? 'diagram';
  const [relating, setRelating] = useState<{ from?: ColumnEnd; to?: ColumnEnd }>();
  const [held, setHeld] = useState<{ from: ColumnEnd; to: ColumnEnd; match?: Match; fault?: string }>();

  const hint = (from: ColumnEnd, to: ColumnEnd): string => {
    const same =
      held &&
      held.from.table === from.table &&
      held.from.column === from.column &&
      held.to.table === to.table &&
      held.to.column === to.column;
    if (!same) queueMicrotask(() => setHeld({ from, to }));
    const name = `${from.table}.${from.column} → ${to.table}.${to.column}`;
    if (!same || (!held.match && !held.fault)) return `${name}: comparing …`;
    if (held.fault !== undefined) return held.fault;
    const m = held.match!;
    return `${name}: ${percent(m.rows - m.nulls > 0 ? m.matched / (m.rows - m.nulls) : 0)} of the rows find a partner${m.toUnique ? '' : '; its values are not unique there'}`;
  };
  useEffect(() => {
    if (!held || held.match || held.fault !== undefined) return;
    const controller = new AbortController();
    const body = {
      from: { table: held.from.table, columns: [held.from.column] },
      to: { table: held.to.table, columns: [held.to.column] },
    };
    ask(api.questions.match, { id }, body, controller.signal)
      .then((match) => setHeld((h) => (h === held ? { ...h, match } : h)))
      .catch(
        (error: Error) =>
          !controller.signal.aborted && setHeld((h) => (h === held ? { ...h, fault: error.message } : h)),
      );
    return () => controller.abort();
  }, [held, id]);

  const shown = useMemo(() => claims?.claims ?? [], [claims]);
  const relationship = selection?.kind === 'relationship' ? names.relationship(selection.name) : undefined;
  const table =
    selection?.kind === 'table'
      ? names.table(selection.name)?.name
      : selection?.kind === 'column'
        ? names.path(selection.name)?.table.name
        : undefined;
  const open = useDiagram();
  const [reach, setReach] = useParam('reach');
  const [cell, setCell] = useParam('cell');
  const reached = useMemo(() => {
    if (reach === undefined || table === undefined) return undefined;
    const { ways, relationships } = reachedFrom(model, table);
    const tables = [...ways].filter(([, way]) => way.kind !== 'none').map(([name]) => name);
    return { tables: new Set([table, ...tables]), relationships };
  }, [reach, table, model]);
  const facts = model.tables.filter((t) => t.role === 'fact').length;
  const [cellFact, cellTable] = view === 'matrix' ? (cell ?? '').split('~') : [];
  const design = (
    <>
      <StarsHead facts={facts} view={view} setView={setView} setRelating={setRelating} relating={relating} />
      {model.tables.length === 0 ? (
        <Blank>No tables yet. Import some on the Intake stage, then draft a star from them.</Blank>
      ) : view === 'matrix' ? (
        <Matrix chosen={cell} onChoose={setCell} />
      ) : view === 'briefs' ? (
        <Briefs />
      ) : view === 'advice' ? (
        <StarAdvice />
      ) : (
        <>
          <DiagramBar
            open={open}
            table={table}
            reach={reach !== undefined}
            onReach={(on) => setReach(on ? 'shown' : undefined)}
          />
          {open.part.tables.length === 0 ? (
            <Blank>This diagram has no tables yet: add some above.</Blank>
          ) : (
            <Diagram
              model={open.part}
              claims={shown}
              selection={selection}
              onSelect={select}
              onRelate={(from, to) => setRelating({ from, to })}
              hint={hint}
              listed={open.detail}
              positions={open.positions}
              onMove={open.move}
              reached={reached}
              fitOn={`${open.name} ${open.detail}`}
            />
          )}
        </>
      )}
    </>
  );
  return (
    <Leaves
      label="Stars"
      design={design}
      evidence={
        <StarsEvidence
          relating={relating}
          setRelating={setRelating}
          relationship={relationship}
          cellFact={cellFact}
          cellTable={cellTable}
          view={view}
          reach={reach}
          table={table}
        />
      }
    />
  );
}

/** What is there, and the ways to look at it. */
function StarsHead({
  facts,
  view,
  setView,
  setRelating,
  relating,
}: {
  facts: number;
  view: 'advice' | 'diagram' | 'matrix' | 'briefs';
  setView: (value: string | undefined) => void;
  setRelating: (next: { from?: ColumnEnd; to?: ColumnEnd } | undefined) => void;
  relating: { from?: ColumnEnd; to?: ColumnEnd } | undefined;
}) {
  const { model } = useModel();
  return (
    <LeafHead
      title="Stars"
      note={`${many(facts, 'fact')}, ${many(model.tables.filter((t) => t.role === 'dimension').length, 'dimension')}, ${many((model.relationships ?? []).length, 'relationship')}`}
    >
      <span className="flex" role="tablist" aria-label="View">
        {VIEWS.map((v) => (
          <button
            key={v}
            role="tab"
            aria-selected={view === v}
            className={`btn ${view === v ? 'bg-ink text-leaf' : ''}`}
            onClick={() => setView(v === 'diagram' ? undefined : v)}
          >
            {v.charAt(0).toUpperCase() + v.slice(1)}
          </button>
        ))}
      </span>
      <button className="btn" onClick={() => setRelating(relating ? undefined : {})}>
        <Link2 size={14} aria-hidden /> Relate
      </button>
    </LeafHead>
  );
}

/** What there is to say of what is chosen. */
function StarsEvidence({
  relating,
  setRelating,
  relationship,
  cellFact,
  cellTable,
  view,
  reach,
  table,
}: {
  relating: { from?: ColumnEnd; to?: ColumnEnd } | undefined;
  setRelating: (next: { from?: ColumnEnd; to?: ColumnEnd } | undefined) => void;
  relationship: Relationship | undefined;
  cellFact: string;
  cellTable: string;
  view: 'advice' | 'diagram' | 'matrix' | 'briefs';
  reach: string | undefined;
  table: string | undefined;
}) {
  const { names } = useModel();
  return (
    <EvidenceLeaf>
      {relating && (
        <RelateForm
          key={JSON.stringify(relating)}
          from={relating.from}
          to={relating.to}
          onDone={() => setRelating(undefined)}
        />
      )}
      {relationship && !relating && (
        <RelationshipDesign key={relationship.name} relationship={relationship} />
      )}
      {cellFact && cellTable && names.table(cellFact) && names.table(cellTable) && (
        <WayPanel
          fact={cellFact}
          table={cellTable}
          onRelate={() =>
            setRelating({ from: { table: cellFact, column: '' }, to: { table: cellTable, column: '' } })
          }
        />
      )}
      {view === 'diagram' && reach !== undefined && table !== undefined && <ReachPanel table={table} />}
    </EvidenceLeaf>
  );
}

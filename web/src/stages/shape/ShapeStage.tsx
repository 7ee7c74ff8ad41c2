import type { Table } from '@crease/core/model';
import { useModel } from '../../state/model.tsx';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { ColumnsDesign } from './ColumnsDesign.tsx';
import { DesignTable } from './DesignTable.tsx';
import { LineagePicture } from './LineagePicture.tsx';
import { Origins } from './Origins.tsx';
import { StepEvidence } from './StepEvidence.tsx';
import { StepsDesign } from './StepsDesign.tsx';
import { TableList } from './TableList.tsx';
import { useStepWork } from './steps.ts';
import { lineageOf } from '@crease/core/sources';
import { isDerived } from '@crease/core/model';

const ROLES = ['fact', 'dimension', 'bridge', 'staging'] as const;
const VIEWS = ['columns', 'steps', 'lineage'] as const;

/**
 * Tables, what they are for and what they are made of: their columns, the steps of derived ones, and the
 * lineage of all.
 */
export function ShapeStage() {
  const { model, names } = useModel();
  const [selection, select] = useSelection();
  const [view, setView] = useParam('view');
  const named =
    selection?.kind === 'table'
      ? names.table(selection.name)
      : selection?.kind === 'column'
        ? names.path(selection.name)?.table
        : undefined;
  const table = named ?? model.tables[0];
  const shown =
    view === 'lineage' ? 'lineage' : view === 'steps' && table && isDerived(table) ? 'steps' : 'columns';
  if (table && shown === 'steps') return <StepsView key={table.name} table={table} onView={setView} />;
  const design = (
    <Frame table={view === 'design' ? undefined : table} shown={shown} onView={setView}>
      {view === 'design' ? (
        <div className="min-h-0 flex-1 overflow-auto">
          <DesignTable onClose={() => setView(undefined)} />
        </div>
      ) : !table ? (
        <Blank
          act={
            <button className="btn btn-act" onClick={() => setView('design')}>
              Design a table
            </button>
          }
        >
          No tables yet. Import some on the Intake stage, or design them before there are rows.
        </Blank>
      ) : shown === 'lineage' ? (
        <LineagePicture
          lineage={lineageOf(model)}
          chosen={named?.name}
          onChoose={(name) => select({ kind: 'table', name })}
        />
      ) : (
        <ColumnsDesign key={table.name} table={table} />
      )}
    </Frame>
  );
  const evidence = (
    <EvidenceLeaf>{selection?.kind === 'column' && <Origins column={selection.name} />}</EvidenceLeaf>
  );
  return <Leaves label="Shape" design={design} evidence={evidence} />;
}

function StepsView({ table, onView }: { table: Table; onView: (view: string) => void }) {
  const work = useStepWork(table);
  const design = (
    <Frame table={table} shown="steps" onView={onView}>
      <StepsDesign work={work} />
    </Frame>
  );
  return <Leaves label="Shape" design={design} evidence={<StepEvidence work={work} />} />;
}

function Frame({
  table,
  shown,
  onView,
  children,
}: {
  table: Table | undefined;
  shown: (typeof VIEWS)[number];
  onView: (view: string) => void;
  children: React.ReactNode;
}) {
  const { edit } = useModel();
  return (
    <div className="flex min-h-0 flex-1">
      <TableList current={table?.name} onDesign={() => onView('design')} />
      <div className="flex min-w-0 flex-1 flex-col">
        {table && (
          <LeafHead
            title={shown === 'lineage' ? 'Lineage' : table.name}
            note={shown === 'lineage' ? undefined : table.title}
          >
            <span role="tablist" aria-label="What is shown of the table" className="flex">
              {VIEWS.filter((v) => v !== 'steps' || isDerived(table)).map((v) => (
                <button
                  key={v}
                  role="tab"
                  aria-selected={v === shown}
                  className={`h-[26px] border-b-2 px-2 ${v === shown ? 'border-ink font-semibold' : 'border-transparent text-soft'}`}
                  onClick={() => onView(v)}
                >
                  {v}
                </button>
              ))}
            </span>
            {shown !== 'lineage' && (
              <label className="flex items-center gap-1 text-soft">
                role
                <select
                  className="field"
                  value={table.role}
                  onChange={(e) =>
                    void edit(
                      [
                        {
                          do: 'set-table',
                          table: table.name,
                          change: { role: e.target.value as Table['role'] },
                        },
                      ],
                      `set the role of ${table.name} to ${e.target.value}`,
                    )
                  }
                >
                  {ROLES.map((r) => (
                    <option key={r}>{r}</option>
                  ))}
                </select>
              </label>
            )}
          </LeafHead>
        )}
        {children}
      </div>
    </div>
  );
}

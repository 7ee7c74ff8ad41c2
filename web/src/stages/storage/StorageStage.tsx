import { useEffect, useMemo, useRef, useState } from 'react';
import type { PassedProfile } from '@crease/contract';
import { api } from '@crease/contract';
import { isPassedThrough, sameName } from '@crease/core/model';
import type { Profile } from '@crease/core/storage';
import { compareProfiles } from '@crease/core/storage';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { useParam, useSelection } from '../../state/selection.ts';
import { Blank, Leaves } from '../../frame/Leaves.tsx';
import { WhenSeen } from '../../parts/WhenSeen.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { AdviceList } from './AdviceList.tsx';
import { ColumnList } from './ColumnList.tsx';
import { Compared } from './Compared.tsx';
import { HeldOrPassed } from './HeldOrPassed.tsx';
import { scaleOf } from './ruler.ts';
import { withEstimate } from './withEstimate.ts';
import { Scale } from './Scale.tsx';
import { StorageHead } from './StorageHead.tsx';
import { StoredFile } from './StoredFile.tsx';
import { rulerHeight, TableRuler } from './TableRuler.tsx';
import type { ComparedWith } from './useCompared.ts';
import { useCompared } from './useCompared.ts';
import type { Folds } from './useFolds.ts';
import { useFolds } from './useFolds.ts';

/** What a row of each table weighs, beside what its values need, and what would make it lighter. */
export function StorageStage() {
  const { id, model, state } = useModel();
  const { data, error, isLoading } = useAnswer(api.storage.profile, { id }, { keepPreviousData: true });
  const advice = useAnswer(api.storage.advice, data ? { id } : undefined, { keepPreviousData: true });
  const [selection, select] = useSelection();
  const [view, setView] = useParam('view');
  const compared = useCompared(data?.at);
  const folds = useFolds();
  // What was worked out is of the model of then: another revision asks again.
  const [estimated, setEstimated] = useState<{ revision: number; estimate: PassedProfile }>();
  const estimate = estimated?.revision === state.revision.id ? estimated.estimate : undefined;
  const profile = useMemo(() => data && withEstimate(data.profile, estimate?.profile), [data, estimate]);
  const selected = selection?.kind === 'column' ? selection.name : undefined;
  const passed = useMemo(() => new Set(model.tables.filter(isPassedThrough).map((t) => t.name)), [model]);
  const isList = view === 'columns';
  const change = useMemo(
    () => (data && compared.profile ? compareProfiles(compared.profile, data.profile) : undefined),
    [data, compared.profile],
  );
  const onSelect = (path: string) =>
    select(path === selected && !isList ? undefined : { kind: 'column', name: path });
  const design = (
    <>
      <StorageHead
        state={data}
        view={isList ? 'columns' : 'rulers'}
        onView={(v) => setView(v === 'columns' ? v : undefined)}
        compared={compared}
      />
      {error && <Blank>{error.message}</Blank>}
      {isLoading && !data && <p className="p-4 text-soft">Weighing every column …</p>}
      {data && data.profile.tables.length === 0 && (
        <Blank>Nothing is held yet. Import tables on the Intake stage; staging tables are not weighed.</Blank>
      )}
      {profile && profile.tables.length > 0 && isList && (
        <ColumnList
          profile={profile}
          before={compared.profile}
          fileName={model.name}
          selected={selected}
          onSelect={onSelect}
        />
      )}
      {data && profile && profile.tables.length > 0 && !isList && (
        <Rulers
          profile={profile}
          passed={passed}
          compared={compared}
          folds={folds}
          selected={selected}
          table={selection?.kind === 'table' ? selection.name : undefined}
          onSelect={onSelect}
        >
          <StoredFile file={data.file} />
        </Rulers>
      )}
    </>
  );
  return (
    <Leaves
      label="Storage"
      design={design}
      evidence={
        <EvidenceLeaf>
          <HeldOrPassed
            estimate={estimate}
            onEstimate={(made) => setEstimated({ revision: state.revision.id, estimate: made })}
          />
          {change && <Compared change={change} since={compared.says} />}
          {data && data.profile.tables.length > 0 && (
            <AdviceList advice={advice.data} error={advice.error} folds={folds} />
          )}
        </EvidenceLeaf>
      }
    />
  );
}

/** The rulers of more tables are drawn as they are scrolled to. */
const FEW_TABLES = 40;

/** The rulers of all tables on one scale, the heaviest first. */
function Rulers({
  profile,
  passed,
  compared: { profile: before },
  folds: { measured },
  selected,
  table: wanted,
  onSelect,
  children,
}: {
  profile: Profile;
  /** Tables that are passed through, by name. */
  passed: ReadonlySet<string>;
  compared: ComparedWith;
  folds: Folds;
  selected: string | undefined;
  table: string | undefined;
  onSelect: (path: string) => void;
  children: React.ReactNode;
}) {
  const box = useRef<HTMLDivElement>(null);
  const [parted, setParted] = useParam('parts');
  const tables = [...profile.tables].sort((a, b) => b.totalBytes - a.totalBytes);
  const scale = Math.max(scaleOf(tables), before ? scaleOf(before.tables) : 0);
  const mostRows = Math.max(...tables.map((t) => t.rows), ...(before?.tables ?? []).map((t) => t.rows));
  const shownTable = wanted ?? selected?.split('.')[0];
  // What is selected elsewhere is in view here.
  useEffect(() => {
    if (shownTable !== undefined)
      box.current?.querySelector(`section[aria-label="${CSS.escape(shownTable)}"]`)?.scrollIntoView({
        block: 'nearest',
      });
  }, [shownTable]);
  return (
    <>
      <Keys />
      <div ref={box} className="min-h-0 flex-1 overflow-auto">
        <Scale bits={scale} />
        {tables.map((t) => (
          <WhenSeen
            key={t.name}
            height={rulerHeight(t.rows, mostRows)}
            isNow={tables.length <= FEW_TABLES || sameName(shownTable ?? '', t.name)}
          >
            {() => (
              <TableRuler
                table={t}
                isPassed={passed.has(t.name)}
                before={before?.tables.find((x) => sameName(x.name, t.name))}
                folded={measured?.after.find((x) => sameName(x.name, t.name))}
                scale={scale}
                mostRows={mostRows}
                selected={selected}
                onSelect={onSelect}
                isParted={parted === t.name}
                onParts={() => setParted(parted === t.name ? undefined : t.name)}
              />
            )}
          </WhenSeen>
        ))}
        {children}
      </div>
    </>
  );
}

const Keys = () => (
  <p className="flex flex-wrap gap-x-3 px-4 pt-2 pb-1 text-[11px] text-soft">
    <Key fill="bg-ink" text="what the values need" />
    <Key fill="bg-bar-soft" text="what the holding adds" />
    <Key fill="bg-bar" text="dictionary" />
    <Key fill="hatched border border-rule-strong" text="references and levels" />
    <span className="text-nowrap">length: bits of a row · thickness: rows</span>
  </p>
);

const Key = ({ fill, text }: { fill: string; text: string }) => (
  <span className="flex items-center gap-1">
    <span className={`inline-block h-[9px] w-[14px] ${fill}`} aria-hidden /> {text}
  </span>
);

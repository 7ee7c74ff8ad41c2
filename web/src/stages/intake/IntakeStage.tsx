import { useState } from 'react';
import type { RecipeState, UploadState } from '@crease/contract';
import { useAddress } from '../../state/address.ts';
import { useModel } from '../../state/model.tsx';
import { Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { Arrivals } from './Arrivals.tsx';
import { CalendarMaker } from './CalendarMaker.tsx';
import { DatabasesView } from './DatabasesView.tsx';
import { LoadsView } from './LoadsView.tsx';
import { Proposals } from './Proposals.tsx';
import { TypedMembers } from './TypedMembers.tsx';
import { typedMembersOf } from '@crease/core/model';

/**
 * Bring in tables: choose files, see what is in them, take in what is wanted; then draft a star from them.
 */
export function IntakeStage() {
  const [params, change] = useAddress();
  const { model } = useModel();
  const view = params.get('view');
  const [drawn, setDrawn] = useState<readonly UploadState[]>([]);
  const [recipe, setRecipe] = useState<RecipeState>();
  const show = (name: string, table?: string) =>
    change((next) => {
      next.delete('of');
      if (name) next.set('view', name);
      else next.delete('view');
      if (table !== undefined) next.set('of', table);
    });
  const back = () => show('');
  const edited = model.tables.find((t) => t.name === params.get('of') && typedMembersOf(t) !== undefined);
  return (
    <Leaves
      label="Intake"
      design={
        <>
          {/* What is on its way in stays while one looks at something else. */}
          <div className={view === null ? 'flex min-h-0 flex-1 flex-col' : 'hidden'}>
            <Arrivals onShow={show} drawn={drawn} recipe={recipe} onDrawn={setDrawn} />
          </div>
          {view === 'draft' ? (
            <Proposals onBack={back} />
          ) : view === 'members' ? (
            <TypedMembers key={edited?.name ?? ''} table={edited} onBack={back} />
          ) : view === 'calendar' ? (
            <CalendarMaker covers={params.get('of') ?? undefined} onBack={back} />
          ) : view === 'loads' ? (
            <LoadsView
              onBack={back}
              onDrawn={(uploads, recipe) => {
                setDrawn(uploads);
                setRecipe(recipe);
                back();
              }}
            />
          ) : view === 'databases' ? (
            <DatabasesView
              onBack={back}
              onDrawn={(uploads) => {
                setDrawn(uploads);
                back();
              }}
            />
          ) : null}
        </>
      }
      evidence={<EvidenceLeaf />}
    />
  );
}

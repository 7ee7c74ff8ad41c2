import { useMemo, useState } from 'react';
import type { ReactNode } from 'react';
import type { ReleasedState } from '@crease/contract';
import { ModelNames } from '@crease/core/model';
import type { Notice } from '../state/liveModel.ts';
import type { ModelContext } from '../state/model.tsx';
import { GivenModel } from '../state/model.tsx';
import { questionsOfRelease } from '../state/questions.ts';

const CHANGES_NOTHING = 'A released model is read, not changed.';

/** Gives what readers see of a release to everything below; nothing of it can be changed. */
export function ReaderProvider({
  model: name,
  released,
  children,
}: {
  /** As the address has it. */
  model: string;
  released: ReleasedState;
  children: ReactNode;
}) {
  const [notice, tell] = useState<Notice>();
  const value = useMemo<ModelContext>(() => {
    const { id, model, perspective, release } = released;
    const refuse = () => {
      tell({ tone: 'wrong', text: CHANGES_NOTHING });
      return Promise.resolve();
    };
    return {
      id,
      questions: questionsOfRelease({ model: name, perspective: perspective.name, release: release.id }),
      isReader: true,
      state: {
        id,
        revision: { id: release.revision, number: release.revision, says: '', at: release.at, by: '' },
        canUndo: false,
        canRedo: false,
        model,
        stored: [],
      },
      model,
      whole: model,
      audience: undefined,
      names: new ModelNames(model),
      measures: model.measures ?? [],
      claims: undefined,
      jobs: [],
      edit: () => refuse().then(() => false),
      canUndo: false,
      undo: refuse,
      redo: refuse,
      asking: undefined,
      answerAsked: refuse,
      notice,
      tell,
      fail: (error) => {
        if (error instanceof DOMException && error.name === 'AbortError') return;
        tell({ tone: 'wrong', text: error instanceof Error ? error.message : String(error) });
      },
    };
  }, [name, released, notice]);
  return <GivenModel value={value}>{children}</GivenModel>;
}

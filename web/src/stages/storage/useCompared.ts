import { useState } from 'react';
import { api } from '@crease/contract';
import type { KeptProfile } from '@crease/contract';
import type { ProfileDocument } from '@crease/core/storage';
import { useModel } from '../../state/model.tsx';
import { useParam } from '../../state/selection.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { moment } from '../../parts/text.ts';
import { readProfile } from './readProfile.ts';

export interface ComparedWith {
  readonly profile: ProfileDocument | undefined;
  /** What it is, in words. */
  readonly says: string;
  readonly kept: readonly KeptProfile[];
  /** The id of a kept one, `file`, or nothing. */
  readonly choice: string;
  readonly choose: (choice: string) => void;
  /** Takes a profile that was handed on. */
  readonly open: (file: File) => Promise<void>;
}

export const sayKept = (k: KeptProfile): string => `revision ${k.revision}, ${moment(k.at)}`;

/**
 * The profile that the present one is compared with: of an earlier revision or load, or from a file. `at` is
 * when the present one was measured: it is among those that are kept from then on.
 */
export function useCompared(at: string | undefined): ComparedWith {
  const { id, fail } = useModel();
  const [chosen, choose] = useParam('beside');
  const [handed, setHanded] = useState<ProfileDocument>();
  const { data: kept = [] } = useAnswer(api.storage.keptProfiles, at === undefined ? undefined : { id }, {
    of: at,
    keepPreviousData: true,
  });
  const number = Number(chosen);
  const one = kept.find((k) => k.id === number);
  const { data } = useAnswer(api.storage.keptProfile, one ? { id, kept: one.id } : undefined);
  const isFile = chosen === 'file' && handed !== undefined;
  const open = async (file: File) => {
    try {
      setHanded(readProfile(await file.text(), file.name));
      choose('file');
    } catch (error) {
      fail(error);
    }
  };
  return {
    profile: isFile ? handed : one ? data : undefined,
    says: isFile ? `${handed.title ?? handed.model}, ${moment(handed.at)}` : one ? sayKept(one) : '',
    kept,
    choice: isFile ? 'file' : one ? String(one.id) : '',
    choose: (choice) => choose(choice === '' ? undefined : choice),
    open,
  };
}

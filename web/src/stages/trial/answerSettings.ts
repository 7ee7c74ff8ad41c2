import { useCallback, useState } from 'react';
import type { AnswerWriting } from '@crease/core/interchange';
import type { TextOrder } from '@crease/core/query';

/** How answers are sorted, copied and saved in this browser. */
export interface AnswerSettings extends AnswerWriting {
  readonly texts: TextOrder;
}

const KEY = 'crease.answers';

/** For data, not for a spreadsheet: values are written as they are. */
const DEFAULT_SETTINGS: AnswerSettings = {
  texts: 'counting',
  null: '',
  doesNotApply: 'does not apply',
  totals: false,
  spreadsheet: false,
};

/** Settings as they were stored; what cannot be read is left at its default. */
function readSettings(text: string | null): AnswerSettings {
  try {
    const stored = JSON.parse(text ?? '{}') as Record<string, unknown>;
    const known = Object.entries(DEFAULT_SETTINGS).map(([name, value]) => [
      name,
      typeof stored[name] === typeof value ? stored[name] : value,
    ]);
    const settings = Object.fromEntries(known) as AnswerSettings;
    return settings.texts === 'code points' ? settings : { ...settings, texts: 'counting' };
  } catch (error) {
    if (error instanceof SyntaxError) return DEFAULT_SETTINGS;
    throw error;
  }
}

export function useAnswerSettings(): [AnswerSettings, (settings: AnswerSettings) => void] {
  const [settings, setSettings] = useState(() => readSettings(localStorage.getItem(KEY)));
  const store = useCallback((next: AnswerSettings) => {
    setSettings(next);
    localStorage.setItem(KEY, JSON.stringify(next));
  }, []);
  return [settings, store];
}

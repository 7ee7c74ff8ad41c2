import { useSyncExternalStore } from 'react';

export type Theme = 'light' | 'dark';
const KEY = 'crease.theme';

const wanted = (): Theme => {
  const kept = localStorage.getItem(KEY);
  return kept === 'light' || kept === 'dark'
    ? kept
    : matchMedia('(prefers-color-scheme: dark)').matches
      ? 'dark'
      : 'light';
};

const root = document.documentElement;
const listeners = new Set<() => void>();
root.dataset.theme = wanted();

const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

function choose(theme: Theme): void {
  localStorage.setItem(KEY, theme);
  root.dataset.theme = theme;
  for (const listener of listeners) listener();
}

/** The theme, kept in this browser; the system's until one is chosen. All that show it have the same one. */
export const useTheme = (): [Theme, (theme: Theme) => void] => [
  useSyncExternalStore(subscribe, () => root.dataset.theme as Theme),
  choose,
];

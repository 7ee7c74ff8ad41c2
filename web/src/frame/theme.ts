import { useEffect, useState } from 'react';

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

document.documentElement.dataset.theme = wanted();

/** The theme, kept in this browser; the system's until one is chosen. */
export function useTheme(): [Theme, (theme: Theme) => void] {
  const [theme, setTheme] = useState<Theme>(wanted);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return [
    theme,
    (next) => {
      localStorage.setItem(KEY, next);
      setTheme(next);
    },
  ];
}

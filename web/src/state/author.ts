import { useState } from 'react';

const KEY = 'crease.author';

/** As who works in this browser calls themselves; empty where nobody said. */
export const knownAuthor = (): string => localStorage.getItem(KEY) ?? '';

/** Who works in this browser, as they call themselves: written down with what they do, not authenticated. */
export function useAuthor(): [author: string, set: (author: string) => void, keep: () => string] {
  const [author, set] = useState(knownAuthor);
  const keep = () => {
    const name = author.trim();
    localStorage.setItem(KEY, name);
    return name;
  };
  return [author, set, keep];
}

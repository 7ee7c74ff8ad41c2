import { useState } from 'react';

const KEY = 'crease.author';

/** Who works in this browser, as they call themselves: written down with what they do, not authenticated. */
export function useAuthor(): [author: string, set: (author: string) => void, keep: () => string] {
  const [author, set] = useState(() => localStorage.getItem(KEY) ?? '');
  const keep = () => {
    const name = author.trim();
    localStorage.setItem(KEY, name);
    return name;
  };
  return [author, set, keep];
}

import { readdirSync, realpathSync, statSync } from 'node:fs';
import { dirname, isAbsolute, join, relative, sep } from 'node:path';
import { ServerError } from '../errors.ts';
import type { FileSeen } from '../store/index.ts';

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** Throws ServerError for a place that is not within the workspace's folder. */
export function checkPattern(pattern: string): void {
  const parts = pattern.split(/[\\/]/);
  if (isAbsolute(pattern) || parts.includes('..') || parts.slice(0, -1).some((part) => part.includes('*')))
    throw new ServerError(
      'wrong-shape',
      `a load plan reads files within the workspace's folder: write ${pattern} from there on, with * in its last part only`,
    );
}

/**
 * The newest file that a pattern names within the workspace's folder; links that lead out of it do not count.
 * Throws ServerError where there is none.
 */
export function newestFile(workspaceFile: string, pattern: string): FileSeen {
  checkPattern(pattern);
  const folder = realpathSync(dirname(workspaceFile));
  const place = dirname(join(folder, pattern));
  const last = pattern.split(/[\\/]/).at(-1)!;
  const matches = new RegExp(`^${last.split('*').map(escaped).join('.*')}$`);
  const found = namesIn(place)
    .filter((name) => matches.test(name))
    .flatMap((name): FileSeen[] => {
      const path = realpathSync(join(place, name));
      const way = relative(folder, path);
      if (way.startsWith(`..${sep}`) || isAbsolute(way)) return [];
      const { size, mtimeMs, isFile } = statOf(path);
      return isFile ? [{ path, size, changedMs: mtimeMs }] : [];
    })
    .sort((a, b) => b.changedMs - a.changedMs || (a.path < b.path ? 1 : -1));
  const [newest] = found;
  if (!newest)
    throw new ServerError('cannot-answer', `no file in the workspace's folder is called ${pattern} yet`);
  return newest;
}

function namesIn(place: string): string[] {
  try {
    return readdirSync(place);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return [];
    throw error;
  }
}

function statOf(path: string) {
  const stat = statSync(path);
  return { size: stat.size, mtimeMs: stat.mtimeMs, isFile: stat.isFile() };
}

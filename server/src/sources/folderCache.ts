import { createHash } from 'node:crypto';
import {
  chmodSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  utimesSync,
} from 'node:fs';
import { homedir } from 'node:os';
import { isAbsolute, join } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { readCached, writeCached } from './cachedTable.ts';

/** Smaller files are read as quickly as their cache. */
const LEAST_BYTES = 1 << 20;
/** A file that was changed so lately may change again without another time on it. */
const YOUNG_MS = 2_000;
/** What the cache may take in all; the longest unused goes first. */
const MOST_BYTES = 4 * 2 ** 30;
const ENDING = '.sqlite';

/** The user's folder for caches (XDG Base Directory Specification: a relative path is ignored). */
function cacheFolder(): string {
  const named = process.env.XDG_CACHE_HOME ?? '';
  return join(isAbsolute(named) ? named : join(homedir(), '.cache'), 'crease');
}

/** The cache of a file. */
export interface CachedFile {
  /** The file that was read. */
  readonly file: string;
  readonly bytes: number;
  readonly used: Date;
}

/** What tells whether a file is still the one that was read. */
interface Found {
  readonly path: string;
  /** Size, place on the disk, and when content and properties were last changed. */
  readonly state: string;
  readonly isYoung: boolean;
}

/** A table that was read and is not in the cache yet. */
interface Unwritten {
  readonly file: string;
  readonly how: string;
  readonly found: Found;
  readonly table: TableData;
}

/**
 * Encoded rows of files that were read from folders, so that the next command does not read them again. A
 * file is known by its path, size, inode and times, and by how it was read. The cache is its owner's alone.
 */
export class FolderCache {
  private readonly unwritten: Unwritten[] = [];
  /** Loaded only where there is something for it: a question on small files stays quick. */
  private store:
    | { readonly readCached: typeof readCached; readonly writeCached: typeof writeCached }
    | undefined;

  /** `program` tells apart what was read by another version, which may read otherwise. */
  constructor(
    private readonly program: string,
    private readonly folder = cacheFolder(),
    private readonly now: () => number = Date.now,
  ) {}

  /** Gets ready for files of which one is worth it; before that nothing is cached and nothing found. */
  async prepare(files: readonly string[]): Promise<void> {
    if (this.store || !files.some((file) => stateOf(file, this.now()))) return;
    const { readCached, writeCached } = await import('./cachedTable.ts');
    this.store = { readCached, writeCached };
  }

  /**
   * The rows of a file, where they are cached; `add` is given those that had to be read instead, and `write`
   * writes them. `how` is all that the reading depends on.
   */
  look(file: string, how: unknown, name: string): { table?: TableData; add(table: TableData): void } {
    const found = this.store && stateOf(file, this.now());
    if (!found || found.isYoung || !this.isOwn()) return { add: () => undefined };
    const asText = JSON.stringify([this.program, how]);
    const table = this.cached(found, asText, name);
    return {
      ...(table ? { table } : {}),
      add: (read) => void this.unwritten.push({ file, how: asText, found, table: read }),
    };
  }

  private placeOf(found: Found, how: string): string {
    const name = createHash('sha256')
      .update(JSON.stringify([found.path, how]))
      .digest('hex')
      .slice(0, 32);
    return join(this.folder, `${name}${ENDING}`);
  }

  private cached(found: Found, how: string, name: string): TableData | undefined {
    const place = this.placeOf(found, how);
    if (!statSync(place, { throwIfNoEntry: false })) return undefined;
    const table = this.store!.readCached(place, found.path, found.state, name);
    if (!table) {
      rmSync(place, { force: true });
      return undefined;
    }
    const now = new Date(this.now());
    utimesSync(place, now, now);
    return table;
  }

  /**
   * Writes what was read, after the answer is there: nobody waits for it. A file that has changed meanwhile
   * is passed over. Throws what the system says where there is no room or no right.
   */
  write(): void {
    if (this.unwritten.length === 0) return;
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    chmodSync(this.folder, 0o700);
    for (const { file, how, found, table } of this.unwritten.splice(0)) {
      if (stateOf(file, this.now())?.state !== found.state) continue;
      const place = this.placeOf(found, how);
      const unfinished = `${place}.${process.pid}`;
      try {
        this.store!.writeCached(unfinished, found.path, found.state, table);
        chmodSync(unfinished, 0o600);
        renameSync(unfinished, place);
      } finally {
        for (const beside of ['', '-wal', '-shm', '-journal'])
          rmSync(`${unfinished}${beside}`, { force: true });
      }
    }
    this.makeRoom();
  }

  private makeRoom(): void {
    const all = filesOf(this.folder).sort((a, b) => b.used - a.used);
    let bytes = 0;
    for (const { place, size } of all) if ((bytes += size) > MOST_BYTES) rmSync(place, { force: true });
  }

  /** Whether the folder is its owner's alone, or is not there yet: what others can write is not believed. */
  private isOwn(): boolean {
    const state = lstatSync(this.folder, { throwIfNoEntry: false });
    if (!state) return true;
    return (
      state.isDirectory() && (state.mode & 0o022) === 0 && state.uid === (process.getuid?.() ?? state.uid)
    );
  }

  /** All that is cached, the last used first. */
  async list(): Promise<CachedFile[]> {
    const { cachedFileOf } = await import('./cachedTable.ts');
    return filesOf(this.folder)
      .sort((a, b) => b.used - a.used)
      .flatMap(({ place, size, used }) => {
        const file = cachedFileOf(place);
        return file === undefined ? [] : [{ file, bytes: size, used: new Date(used) }];
      });
  }

  /** Removes the cache; gives how many files those were, and their bytes. */
  clear(): { files: number; bytes: number } {
    const all = filesOf(this.folder);
    for (const { place } of all) rmSync(place, { force: true });
    return { files: all.length, bytes: all.reduce((sum, { size }) => sum + size, 0) };
  }
}

function stateOf(file: string, now: number): Found | undefined {
  const state = statSync(file, { bigint: true, throwIfNoEntry: false });
  if (!state?.isFile() || state.size < LEAST_BYTES) return undefined;
  const { dev, ino, size, mtimeNs, ctimeNs } = state;
  const changed = Number((mtimeNs > ctimeNs ? mtimeNs : ctimeNs) / 1_000_000n);
  return {
    path: realpathSync(file),
    state: [dev, ino, size, mtimeNs, ctimeNs].join(' '),
    isYoung: now - changed < YOUNG_MS,
  };
}

function filesOf(folder: string): { place: string; size: number; used: number }[] {
  const state = statSync(folder, { throwIfNoEntry: false });
  if (!state?.isDirectory()) return [];
  return readdirSync(folder)
    .filter((name) => name.includes(ENDING))
    .flatMap((name) => {
      const place = join(folder, name);
      const found = statSync(place, { throwIfNoEntry: false });
      return found ? [{ place, size: found.size, used: found.mtimeMs }] : [];
    });
}

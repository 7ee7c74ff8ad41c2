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
import { join } from 'node:path';
import type { TableData } from '@crease/core/columns';
import type { readKept, writeKept } from './keptTable.ts';

/** Smaller files are read as quickly as what is kept of them. */
const LEAST_BYTES = 1 << 20;
/** A file that was changed so lately may change again without another time on it. */
const YOUNG_MS = 2_000;
/** What all that is kept may take; the longest unused goes first. */
const MOST_BYTES = 4 * 2 ** 30;
const ENDING = '.sqlite';

/** Where what is kept of folders lies: in the user's own folder for such things. */
export const cacheFolder = (): string =>
  join(process.env.XDG_CACHE_HOME || join(homedir(), '.cache'), 'crease');

/** What is kept of a file. */
export interface KeptFile {
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

interface ToKeep {
  readonly file: string;
  readonly how: string;
  readonly found: Found;
  readonly table: TableData;
}

/**
 * Encoded rows of files that were read from folders, so that the next command does not read them again. A
 * file is known by its path, size, inode and times, and by how it was read. What is kept is for its owner
 * only.
 */
export class FolderCache {
  private readonly toKeep: ToKeep[] = [];
  /** Loaded only where there is something for it: a question on small files stays quick. */
  private store: { readonly readKept: typeof readKept; readonly writeKept: typeof writeKept } | undefined;

  /** `program` tells apart what was read by another version, which may read otherwise. */
  constructor(
    private readonly program: string,
    private readonly folder = cacheFolder(),
    private readonly now: () => number = Date.now,
  ) {}

  /** Gets ready for files of which one is worth it; before that nothing is kept and nothing found. */
  async prepare(files: readonly string[]): Promise<void> {
    if (this.store || !files.some((file) => stateOf(file, this.now()))) return;
    const { readKept, writeKept } = await import('./keptTable.ts');
    this.store = { readKept, writeKept };
  }

  /**
   * The rows of a file: as they are kept, or else as `read` gives them, which `write` keeps then. `how` is
   * all that the reading depends on.
   */
  table(file: string, how: unknown, name: string, read: () => TableData): TableData {
    const look = this.look(file, how, name);
    if (look.table) return look.table;
    const table = read();
    look.keep(table);
    return table;
  }

  /** As `table`, for what is read in turns. */
  async tableLater(
    file: string,
    how: unknown,
    name: string,
    read: () => Promise<TableData>,
  ): Promise<TableData> {
    const look = this.look(file, how, name);
    if (look.table) return look.table;
    const table = await read();
    look.keep(table);
    return table;
  }

  private look(file: string, how: unknown, name: string): { table?: TableData; keep(t: TableData): void } {
    const found = this.store && stateOf(file, this.now());
    if (!found || found.isYoung || !this.isOwn()) return { keep: () => undefined };
    const asText = JSON.stringify([this.program, how]);
    const table = this.kept(found, asText, name);
    return {
      ...(table ? { table } : {}),
      keep: (made) => void this.toKeep.push({ file, how: asText, found, table: made }),
    };
  }

  private placeOf(found: Found, how: string): string {
    const name = createHash('sha256')
      .update(JSON.stringify([found.path, how]))
      .digest('hex')
      .slice(0, 32);
    return join(this.folder, `${name}${ENDING}`);
  }

  private kept(found: Found, how: string, name: string): TableData | undefined {
    const place = this.placeOf(found, how);
    if (!statSync(place, { throwIfNoEntry: false })) return undefined;
    const table = this.store!.readKept(place, found.state, name);
    if (!table) {
      rmSync(place, { force: true });
      return undefined;
    }
    const now = new Date(this.now());
    utimesSync(place, now, now);
    return table;
  }

  /**
   * Keeps what was read and was not kept, after the answer is there: nobody waits for it. A file that has
   * changed meanwhile is not kept. Throws what the system says where there is no room or no right.
   */
  write(): void {
    if (this.toKeep.length === 0) return;
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    chmodSync(this.folder, 0o700);
    for (const { file, how, found, table } of this.toKeep.splice(0)) {
      if (stateOf(file, this.now())?.state !== found.state) continue;
      const place = this.placeOf(found, how);
      const unfinished = `${place}.${process.pid}`;
      try {
        this.store!.writeKept(unfinished, found.path, found.state, table);
        chmodSync(unfinished, 0o600);
        renameSync(unfinished, place);
      } finally {
        rmSync(unfinished, { force: true });
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

  /** All that is kept, the last used first. */
  async list(): Promise<KeptFile[]> {
    const { fileOfKept } = await import('./keptTable.ts');
    return filesOf(this.folder)
      .sort((a, b) => b.used - a.used)
      .flatMap(({ place, size, used }) => {
        const file = fileOfKept(place);
        return file === undefined ? [] : [{ file, bytes: size, used: new Date(used) }];
      });
  }

  /** Removes all that is kept; gives how many files those were, and their bytes. */
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

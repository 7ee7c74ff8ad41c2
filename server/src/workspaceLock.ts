import { randomBytes } from 'node:crypto';
import { closeSync, openSync, readFileSync, renameSync, rmSync, writeFileSync, writeSync } from 'node:fs';
import { WorkspaceError } from './store/index.ts';

/** Who has a workspace open for writing. */
export interface LockHolder {
  readonly pid: number;
  /** When the process began, as the system tells it: another process may get the same number later. */
  readonly started: string;
  /** Where it answers, of a server; a command that only loads has none. */
  readonly address?: string;
  /** Known to the owner of the workspace alone; a command says it to the server. */
  readonly token: string;
}

export interface WorkspaceLock {
  readonly token: string;
  release(): void;
}

/**
 * When a process began, in the system's own clock ticks; empty where the system does not tell, and undefined
 * where there is no such process.
 */
function startOf(pid: number): string | undefined {
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ESRCH') return undefined;
  }
  try {
    // The name in parentheses may hold blanks; the start is the 22nd field (proc(5)).
    const stat = readFileSync(`/proc/${pid}/stat`, 'latin1');
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? '';
  } catch {
    return '';
  }
}

const isAlive = ({ pid, started }: LockHolder): boolean => {
  const now = startOf(pid);
  return now !== undefined && (now === started || now === '' || started === '');
};

const lockFile = (workspace: string): string => `${workspace}.lock`;

/** Who has the workspace open for writing; undefined where nobody has. */
export function lockHolder(workspace: string): LockHolder | undefined {
  try {
    const holder = JSON.parse(readFileSync(lockFile(workspace), 'utf8')) as LockHolder;
    return isAlive(holder) ? holder : undefined;
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    // A lock that is cut short is one of a process that ended while it wrote it.
    if (code === 'ENOENT' || error instanceof SyntaxError) return undefined;
    throw error;
  }
}

/**
 * Makes this process the one that writes a workspace. A lock whose process is gone is taken over. Throws
 * WorkspaceError, which names the process, where another one has it.
 */
export function lockWorkspace(workspace: string, address?: string): WorkspaceLock {
  const file = lockFile(workspace);
  const token = randomBytes(24).toString('base64url');
  const own: LockHolder = {
    pid: process.pid,
    started: startOf(process.pid) ?? '',
    ...(address === undefined ? {} : { address }),
    token,
  };
  const text = JSON.stringify(own);
  if (!create(file, text)) {
    const holder = lockHolder(workspace);
    if (holder && holder.pid !== process.pid) throw taken(workspace, holder);
    if (holder) throw new WorkspaceError(`the workspace ${workspace} is open in this process already`);
    takeOver(workspace, file, text);
  }
  return {
    token,
    release: () => {
      if (lockHolder(workspace)?.token === token) rmSync(file, { force: true });
    },
  };
}

function taken(workspace: string, { pid, address }: LockHolder): WorkspaceError {
  const who = address === undefined ? `process ${pid}` : `the server at ${address} (process ${pid})`;
  return new WorkspaceError(`the workspace ${workspace} is open in ${who}: use that one, or end it first`);
}

/** Whether the file was made; not where it is there already. */
function create(file: string, text: string): boolean {
  try {
    const descriptor = openSync(file, 'wx', 0o600);
    writeSync(descriptor, text);
    closeSync(descriptor);
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false;
    throw error;
  }
}

/** Of several that take over at once one wins: the one that can make the second file. */
function takeOver(workspace: string, file: string, text: string): void {
  const turn = `${file}.taking`;
  if (!create(turn, String(process.pid))) {
    const other = Number(readFileSync(turn, 'utf8'));
    if (startOf(other) !== undefined && other !== process.pid)
      throw new WorkspaceError(`the workspace ${workspace} is being opened by process ${other}`);
  }
  try {
    const holder = lockHolder(workspace);
    if (holder) throw taken(workspace, holder);
    const made = `${file}.${process.pid}`;
    writeFileSync(made, text, { mode: 0o600 });
    renameSync(made, file);
  } finally {
    rmSync(turn, { force: true });
  }
}

/**
 * A fault of the machine, not of the program: somebody else writes, or there is no room left. Undefined for
 * any other error.
 */
export function systemFault(error: unknown): { code: 'busy' | 'disk-full'; message: string } | undefined {
  const code = String((error as { code?: unknown } | undefined)?.code ?? '');
  if (code.startsWith('SQLITE_BUSY') || code.startsWith('SQLITE_LOCKED'))
    return { code: 'busy', message: 'the workspace is being written to: wait a moment, then try again' };
  if (code.startsWith('SQLITE_FULL') || code === 'ENOSPC' || code === 'EDQUOT')
    return { code: 'disk-full', message: 'the disk is full: nothing was changed. Make room, then try again' };
  return undefined;
}

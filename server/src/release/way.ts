import { existsSync, realpathSync } from 'node:fs';
import { dirname, isAbsolute, relative, resolve, sep } from 'node:path';
import type { ReleaseTarget } from '@crease/core/model';
import type { ReleaseOrder } from './contents.ts';
import type { ReleaseOutcome, ReleasePlan } from './plan.ts';
import { TargetError } from './plan.ts';
import { planFolder, releaseToFolder } from './toFolder.ts';
import { planPostgresql, releaseToPostgresql } from './toPostgresql.ts';
import { planSqlite, releaseToSqlite } from './toSqlite.ts';

/** How one releases to a target. */
export interface Way {
  plan(order: ReleaseOrder): Promise<ReleasePlan>;
  run(order: ReleaseOrder): Promise<ReleaseOutcome>;
}

export interface Whereabouts {
  /** The folder that paths are relative to. */
  readonly folder: string;
  /** Whether a path may lead outside of it. */
  readonly allowPath: boolean;
  /** Where the accounts that write are found. */
  readonly environment: Readonly<Record<string, string | undefined>>;
}

/**
 * How one releases to a target; what the file system or the database refuses there is told in their words.
 * Throws TargetError for a place outside of the folder and a connection without an account that writes.
 */
export function wayTo(target: ReleaseTarget, where: Whereabouts): Way {
  const way = wayOf(target, where);
  const clear = async <T>(act: Promise<T>): Promise<T> => {
    try {
      return await act;
    } catch (error) {
      const { code, message } = error as { code?: unknown; message: string };
      // Errors of the system and of SQLite have a code; anything else is a fault of ours, or clear already.
      if (typeof code !== 'string') throw error;
      throw new TargetError(`${target.name}: ${message}`);
    }
  };
  return { plan: (order) => clear(way.plan(order)), run: (order) => clear(way.run(order)) };
}

function wayOf(target: ReleaseTarget, where: Whereabouts): Way {
  switch (target.kind) {
    case 'sqlite': {
      const file = within(where, target.file);
      return {
        plan: (order) => Promise.resolve().then(() => planSqlite(file, order)),
        run: (order) => releaseToSqlite(file, order),
      };
    }
    case 'folder': {
      const folder = within(where, target.path);
      return {
        plan: (order) => Promise.resolve().then(() => planFolder(folder, target.as, order)),
        run: (order) => releaseToFolder(folder, target.as, order),
      };
    }
    case 'postgresql': {
      const to = { target, place: writerOf(target.connection, where.environment) };
      return { plan: (order) => planPostgresql(to, order), run: (order) => releaseToPostgresql(to, order) };
    }
  }
}

/** The path of a target; outside of the folder, also by a link, only where that is allowed. */
function within({ folder, allowPath }: Whereabouts, place: string): string {
  const path = resolve(folder, place);
  const isInside = (inner: string, outer: string) => {
    const from = relative(outer, inner);
    return !isAbsolute(from) && from !== '..' && !from.startsWith(`..${sep}`);
  };
  const isFine =
    !isAbsolute(place) &&
    isInside(path, resolve(folder)) &&
    isInside(realpathSync(existing(path)), realpathSync(folder));
  if (!allowPath && !isFine)
    throw new TargetError(
      `the target lies outside of the model's folder: ${place}. Choose a place within it; on the command line --allow-path lets it`,
    );
  return path;
}

/** A path, or the nearest one above it that is there. */
const existing = (path: string): string => (existsSync(path) ? path : existing(dirname(path)));

/**
 * The account that writes, of a connection as the environment has it. It is never the one that reads: whoever
 * releases has said so.
 */
function writerOf(connection: string, environment: Whereabouts['environment']) {
  const name = `CREASE_CONNECTION_${connection.toUpperCase().replace(/[^A-Z0-9]+/g, '_')}`;
  const url = environment[`${name}_WRITE_URL`];
  if (url === undefined)
    throw new TargetError(
      `the connection ${connection} has no account that writes: set ${name}_WRITE_URL to a URL such as postgresql://release@127.0.0.1:5432/mart, and ${name}_WRITE_PASSWORD`,
    );
  const place = URL.canParse(url) ? new URL(url) : undefined;
  if (!place || !/^postgres(ql)?:$/.test(place.protocol))
    throw new TargetError(`${name}_WRITE_URL is no URL that begins with postgresql://`);
  if (place.password !== '')
    throw new TargetError(`${name}_WRITE_URL holds a password: set ${name}_WRITE_PASSWORD in its place`);
  return {
    host: place.hostname,
    port: Number(place.port || 5432),
    database: decodeURIComponent(place.pathname.slice(1)) || 'postgres',
    user: decodeURIComponent(place.username),
    password: environment[`${name}_WRITE_PASSWORD`] ?? '',
  };
}

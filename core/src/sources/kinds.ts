import type { Source } from '../model/index.ts';
import { calendar } from './calendar.ts';
import { connection } from './connection.ts';
import { file } from './file.ts';
import type { SourceKind } from './kind.ts';
import { members } from './members.ts';
import { steps } from './steps.ts';

/** All kinds of sources. A new one is one file, an entry here, and its fields in the model's schema. */
export const SOURCE_KINDS: readonly SourceKind<never>[] = [
  file,
  connection,
  steps,
  calendar,
  members,
] as unknown as readonly SourceKind<never>[];

/** The kind of a source. Throws where none is known, which the model's schema rules out. */
export function sourceKind(source: Source): SourceKind<Source> {
  const kind = SOURCE_KINDS.find(({ field }) => field in source);
  if (!kind) throw new Error(`no kind of source has the fields ${Object.keys(source).join(', ')}`);
  return kind as unknown as SourceKind<Source>;
}

import { closeSync, openSync, writeSync } from 'node:fs';
import { Transform } from 'node:stream';
import { csvLine } from '@crease/core/interchange';
import { TEXT } from '@crease/core/values';
import type { DataType } from '@crease/core/values';
import type { DrawnColumn, Drawing, TableName } from './reader.ts';
import { DatabaseError, tableText } from './reader.ts';

/** What readers of databases share where they draw a table as delimited text. */

/** Moments as readers write them unless they say otherwise. */
export const MOMENT = 'yyyy-MM-dd HH:mm:ss.SSSSSS';
const WRITTEN_BYTES = 1 << 20;

/** The columns that are asked for, by default all. Throws DatabaseError for one that is gone by now. */
export function wantedColumns(
  table: TableName,
  all: readonly string[],
  asked: readonly string[] | undefined,
): readonly string[] {
  const gone = asked?.find((name) => !all.includes(name));
  if (gone !== undefined)
    throw new DatabaseError(
      `${tableText(table)} has no column ${gone} any more: preview the table again before importing it`,
    );
  return asked ?? all;
}

/** A column that is read as a type; as text, and `was` said, where it has no like here. */
export function drawnColumn(
  name: string,
  type: DataType | undefined,
  was: string,
  moment = MOMENT,
): DrawnColumn {
  if (type === undefined) return { name, type: TEXT, isText: false, was };
  const pattern = { date: 'yyyy-MM-dd', timestamp: moment }[type.kind as string];
  return { name, type, isText: type.kind === 'text', ...(pattern === undefined ? {} : { pattern }) };
}

/** Writes rows as they come; `signal` ends it between two of them. Throws DatabaseError where it does. */
export async function writeDrawn(
  file: string,
  names: readonly string[],
  rows: AsyncIterable<readonly (string | null)[]>,
  { nullText, signal, onBytes }: Drawing,
): Promise<void> {
  const descriptor = openSync(file, 'w');
  try {
    let text = csvLine([...names]);
    const write = () => {
      const bytes = Buffer.from(text);
      writeSync(descriptor, bytes);
      onBytes(bytes.length);
      text = '';
    };
    for await (const row of rows) {
      if (signal.aborted) throw new DatabaseError('cancelled');
      text += csvLine(row.map((cell) => cell ?? nullText));
      if (text.length >= WRITTEN_BYTES) write();
    }
    write();
  } finally {
    closeSync(descriptor);
  }
}

/** Tells of bytes that go through it. */
export const counted = (onBytes: (bytes: number) => void): Transform =>
  new Transform({
    transform: (chunk: Buffer, _encoding, done) => {
      onBytes(chunk.length);
      done(null, chunk);
    },
  });

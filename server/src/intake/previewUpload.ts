import type { PreviewRequest } from '@crease/contract';
import type { Corrections, FilePreview, Reading } from '@crease/core/reading';
import { parseType, TEXT } from '@crease/core/values';
import type { Workspace } from '../workspace.ts';
import type { Origin } from './uploads.ts';
import { SAMPLED_ROWS } from './uploads.ts';

type Said = NonNullable<PreviewRequest['columns']>[number];

export const readingOf = ({ type, pattern, decimalComma, thousands }: Omit<Said, 'place'>): Reading => ({
  type: parseType(type) ?? TEXT,
  ...(pattern ? { pattern } : {}),
  ...(decimalComma === undefined ? {} : { decimalComma }),
  ...(thousands === undefined ? {} : { thousands }),
});

/** How tables of databases are written down when they are drawn. */
export const DRAWN_DIALECT = {
  delimiter: ',',
  quote: '"',
  header: true,
  encoding: 'utf-8',
  newline: '\n',
} as const;

/**
 * What is in something that came, by what somebody says of it; of a database's table what it declares holds
 * first.
 */
export async function previewUpload(
  workspace: Workspace,
  id: string,
  { dialect, nulls, columns = [] }: PreviewRequest,
): Promise<FilePreview> {
  const { uploads, readers, settings } = workspace;
  const origin = uploads.origin(id);
  const look = (corrected: Corrections) =>
    uploads.withFile(id, (file) => readers.preview({ file, corrected }));
  const setByUser = new Map(columns.map((c) => [c.place, readingOf(c)]));
  const { naming } = settings;
  if (!origin)
    return look({
      naming,
      ...(dialect ? { dialect } : {}),
      ...(nulls ? { nulls } : {}),
      ...(setByUser.size > 0 ? { columns: setByUser } : {}),
    });
  const known = new Map([...declaredOf(origin), ...setByUser]);
  const corrected = { naming, dialect: DRAWN_DIALECT, nulls: [origin.nullText] };
  const found = await look({ ...corrected, columns: known });
  // A code of digits that the database keeps as text is text.
  const codes = found.columns.filter(
    (c) => !known.has(c.place) && origin.columns[c.place]?.isText && !isMomentOrText(c.type.kind),
  );
  for (const c of codes) known.set(c.place, { type: TEXT });
  const preview = codes.length === 0 ? found : await look({ ...corrected, columns: known });
  const columnsFound = preview.columns.map((c) =>
    known.has(c.place) && !setByUser.has(c.place) ? { ...c, reason: reasonOf(origin, c.place) } : c,
  );
  return { ...preview, columns: columnsFound, whole: preview.rows < SAMPLED_ROWS };
}

/** Why a column has its type: the database says so, or says something that the model has no type for. */
function reasonOf({ columns }: Origin, place: number): string {
  const was = columns[place]?.was;
  return was === undefined ? 'as the database has it' : `of the database: ${was}`;
}

const isMomentOrText = (kind: string): boolean => kind === 'text' || kind === 'date' || kind === 'timestamp';

const declaredOf = ({ columns }: Origin): [number, Reading][] =>
  columns.flatMap(({ type, pattern }, place): [number, Reading][] =>
    type === undefined ? [] : [[place, { type, ...(pattern === undefined ? {} : { pattern }) }]],
  );

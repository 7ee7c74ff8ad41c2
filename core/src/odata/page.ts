import type { DataType } from '../values/index.ts';
import type { Json } from '../query/index.ts';

/** Properties of what is given, with their values row by row. */
export interface Page {
  readonly set: string;
  readonly properties: readonly { readonly id: string; readonly type: DataType }[];
  /** Whether it is all that the set has: else its properties stand in the context. */
  readonly isWhole: boolean;
  readonly rows: readonly (readonly Json[])[];
  /** Of all that fit, where it is asked for. */
  readonly count?: number;
  /** Where the next page begins, if there is one. */
  readonly next?: number;
}

/** How values are written. */
export interface Writing {
  /** Whole numbers of 64 bits and decimals as texts, for those who read all numbers as doubles. */
  readonly numbersAsTexts: boolean;
  /** Control information: none at all, or what is needed. */
  readonly isBare: boolean;
}

/** A value in JSON (JSON Format 4.01, 7.1): numbers with all their digits. */
function valueText(value: Json, type: DataType, { numbersAsTexts }: Writing): string {
  if (value === null) return 'null';
  switch (type.kind) {
    case 'integer':
    case 'decimal':
      return numbersAsTexts ? `"${String(value)}"` : String(value);
    case 'timestamp':
      return JSON.stringify(`${String(value).replace(' ', 'T')}Z`);
    default:
      return JSON.stringify(value);
  }
}

const entity = ({ properties }: Page, row: readonly Json[], writing: Writing): string =>
  properties.map(({ id, type }, i) => `${JSON.stringify(id)}:${valueText(row[i]!, type, writing)}`).join(',');

const contextOf = ({ set, properties, isWhole }: Page, root: string, more = ''): string =>
  `${root}$metadata#${encodeURIComponent(set)}${isWhole ? '' : `(${properties.map((p) => encodeURIComponent(p.id)).join(',')})`}${more}`;

/** A page of entities as JSON. `nextOf` makes the address of the page that begins at a place. */
export function pageText(
  page: Page,
  root: string,
  writing: Writing,
  nextOf: (place: number) => string,
): string {
  const head = [
    ...(writing.isBare ? [] : [`"@odata.context":${JSON.stringify(contextOf(page, root))}`]),
    ...(page.count === undefined ? [] : [`"@odata.count":${page.count}`]),
  ];
  const rows = page.rows.map((row) => `{${entity(page, row, writing)}}`);
  const tail = page.next === undefined ? [] : [`"@odata.nextLink":${JSON.stringify(nextOf(page.next))}`];
  return `{${[...head, `"value":[${rows.join(',\n')}]`, ...tail].join(',')}}`;
}

/** One entity as JSON. */
export function entityText(page: Page, root: string, writing: Writing): string {
  const context = `"@odata.context":${JSON.stringify(contextOf(page, root, '/$entity'))},`;
  return `{${writing.isBare ? '' : context}${entity(page, page.rows[0]!, writing)}}`;
}

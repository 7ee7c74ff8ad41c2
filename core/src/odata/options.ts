import type { Expression } from './expression.ts';
import { ODataReader, readFilter } from './expression.ts';
import { notOffered, wrong } from './odataError.ts';

export interface Ordered {
  readonly property: string;
  readonly isDescending: boolean;
}

/** One thing of `aggregate(…)`: a measure, or an attribute with a method. */
export interface Aggregated {
  readonly property: string;
  readonly method?: string;
  readonly as?: string;
}

/** A transformation of $apply (Data Aggregation 4.0, 3). */
export type Transformation =
  | { readonly kind: 'filter'; readonly where: Expression }
  | { readonly kind: 'groupby'; readonly by: readonly string[]; readonly aggregate: readonly Aggregated[] }
  | { readonly kind: 'aggregate'; readonly aggregate: readonly Aggregated[] }
  | { readonly kind: 'orderby'; readonly order: readonly Ordered[] }
  | { readonly kind: 'top' | 'skip'; readonly count: number };

/** System query options, read. */
export interface Options {
  readonly select?: readonly string[];
  readonly filter?: Expression;
  readonly order: readonly Ordered[];
  readonly top?: number;
  readonly skip: number;
  readonly count: boolean;
  readonly apply?: readonly Transformation[];
  readonly format?: string;
  readonly token?: string;
}

const NOT_OFFERED = ['expand', 'search', 'compute', 'levels', 'schemaversion', 'deltatoken', 'index'];
const KNOWN = ['select', 'filter', 'orderby', 'top', 'skip', 'count', 'apply', 'format', 'skiptoken'];

/**
 * Reads the system query options of a request, written with or without `$` (4.01). Others are left alone.
 * Throws ODataError.
 */
export function readOptions(search: string): Options {
  const given = new Map<string, string>();
  for (const part of search.split('&').filter((text) => text !== '')) {
    const at = part.indexOf('=');
    const [name, value] = [
      decoded(at < 0 ? part : part.slice(0, at)),
      at < 0 ? '' : decoded(part.slice(at + 1)),
    ];
    const option = name.replace(/^\$/, '').toLowerCase();
    if (NOT_OFFERED.includes(option)) throw notOffered(`$${option}`);
    if (!KNOWN.includes(option)) {
      if (name.startsWith('$')) throw wrong(`there is no option ${name}`);
      continue;
    }
    if (given.has(option)) throw wrong(`$${option} stands twice`);
    given.set(option, value);
  }
  const text = (name: string) => given.get(name);
  const [filter, apply, order] = [text('filter'), text('apply'), text('orderby')];
  const top = number('$top', text('top'));
  return {
    ...(text('select') === undefined ? {} : { select: names(text('select')!) }),
    ...(filter === undefined ? {} : { filter: readFilter(filter) }),
    ...(apply === undefined ? {} : { apply: readApply(apply) }),
    ...(top === undefined ? {} : { top }),
    ...(text('format') === undefined ? {} : { format: text('format')! }),
    ...(text('skiptoken') === undefined ? {} : { token: text('skiptoken')! }),
    order: order === undefined ? [] : readOrder(order),
    skip: number('$skip', text('skip')) ?? 0,
    count: truth('$count', text('count')),
  };
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch (error) {
    if (error instanceof URIError) throw wrong('the address has a % that stands for nothing');
    throw error;
  }
}

function number(option: string, text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const found = Number(text);
  if (!/^\d+$/.test(text.trim()) || !Number.isSafeInteger(found))
    throw wrong(`${option} is a whole number that is not negative, not "${text}"`);
  return found;
}

function truth(option: string, text: string | undefined): boolean {
  if (text === undefined || text.toLowerCase() === 'false') return false;
  if (text.toLowerCase() !== 'true') throw wrong(`${option} is true or false, not "${text}"`);
  return true;
}

function names(text: string): string[] {
  const reader = new ODataReader(text, '$select');
  const found = reader.list(() => (reader.takes('*') ? '*' : reader.property()));
  reader.end();
  return found;
}

function orderItem(reader: ODataReader): Ordered {
  const property = reader.property();
  const isDescending = reader.takes('desc');
  if (!isDescending) reader.takes('asc');
  return { property, isDescending };
}

function readOrder(text: string): Ordered[] {
  const reader = new ODataReader(text, '$orderby');
  const found = reader.list(() => orderItem(reader));
  reader.end();
  return found;
}

function aggregated(reader: ODataReader): Aggregated {
  const property = reader.property();
  const method = reader.takes('with') ? reader.property().toLowerCase() : undefined;
  const as = reader.takes('as') ? reader.property() : undefined;
  return { property, ...(method === undefined ? {} : { method }), ...(as === undefined ? {} : { as }) };
}

/** Reads $apply: transformations one after the other. */
function readApply(text: string): Transformation[] {
  const reader = new ODataReader(text, '$apply');
  const found = [transformation(reader)];
  while (reader.takes('/')) found.push(transformation(reader));
  reader.end();
  return found;
}

function transformation(reader: ODataReader): Transformation {
  const kind = reader.word().toLowerCase();
  if (!/^[a-z.]+$/.test(kind)) throw reader.fault('a transformation is missing');
  if (!['filter', 'groupby', 'aggregate', 'orderby', 'top', 'skip'].includes(kind))
    throw notOffered(`the transformation ${kind}`);
  reader.needs(kind);
  reader.needs('(');
  const made = inside(kind, reader);
  reader.needs(')');
  return made;
}

function inside(kind: string, reader: ODataReader): Transformation {
  switch (kind) {
    case 'filter':
      return { kind, where: reader.expression() };
    case 'aggregate':
      return { kind, aggregate: reader.list(() => aggregated(reader)) };
    case 'orderby':
      return { kind, order: reader.list(() => orderItem(reader)) };
    case 'groupby': {
      reader.needs('(');
      if (reader.word().toLowerCase() === 'rollup') throw notOffered('rollup');
      const by = reader.list(() => reader.property());
      reader.needs(')');
      if (!reader.takes(',')) return { kind, by, aggregate: [] };
      reader.needs('aggregate');
      reader.needs('(');
      const aggregate = reader.list(() => aggregated(reader));
      reader.needs(')');
      return { kind, by, aggregate };
    }
    default:
      return { kind: kind as 'top' | 'skip', count: reader.wholeNumber() };
  }
}

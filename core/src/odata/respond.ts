import type { ModelData } from '../query/index.ts';
import type { ReadersView } from '../release/index.ts';
import { answers } from './answers.ts';
import { countOf, entities, entityOf } from './entities.ts';
import { metadataXml, serviceDocument } from './metadata.ts';
import { notOffered, ODataError, wrong } from './odataError.ts';
import type { Options } from './options.ts';
import { readOptions } from './options.ts';
import type { Page, Writing } from './page.ts';
import { entityText, pageText } from './page.ts';
import type { EntitySet, ODataService } from './service.ts';
import { serviceOf } from './service.ts';

/** Rows of a page, where nobody prefers fewer. */
const PAGE_ROWS = 10_000;

/** A request to a service, as the server has it. */
export interface ODataRequest {
  /** Behind the root of the service, without a leading slash, as it came. */
  readonly path: string;
  /** Behind the question mark, as it came. */
  readonly search: string;
  /** The address of the service, with a slash at its end. */
  readonly root: string;
  readonly version: '4.0' | '4.01';
  /** Of the header of that name. */
  readonly accept: string;
  /** So many rows of a page are preferred. */
  readonly pageRows?: number | undefined;
  /** What the pages of an answer have in common: a token of another is refused. */
  readonly stamp: string;
}

export interface ODataResponse {
  readonly status: number;
  readonly type: string;
  readonly body: string;
}

const services = new WeakMap<ReadersView, ODataService>();

/** What is offered to the readers of a view. Kept by view. */
function offered(data: ModelData, view: ReadersView): ODataService {
  let made = services.get(view);
  if (!made) {
    made = serviceOf(view, (name) => {
      const typed = data.checker.measure(name)?.typed;
      return typed ? typed.type : undefined;
    });
    services.set(view, made);
  }
  return made;
}

/**
 * Answers a request to read (OData 4.01; Minimal conformance of its Protocol, 12.3.1, and $filter, $orderby,
 * $top, $skip, $count, $select, $apply beyond it). Faults of the request are answered as the standard has it;
 * throws DataError for what the rows do not give.
 */
export function respondOData(data: ModelData, view: ReadersView, request: ODataRequest): ODataResponse {
  try {
    return respond(offered(data, view), data, request);
  } catch (error) {
    if (error instanceof ODataError) return faultOf(error.status, view.told(error.message));
    throw error;
  }
}

const CODES: Readonly<Record<number, string>> = {
  400: 'BadRequest',
  404: 'NotFound',
  405: 'MethodNotAllowed',
  410: 'Gone',
  501: 'NotImplemented',
};

/** A fault as OData tells it (JSON Format 4.01, 19). */
export const faultOf = (status: number, message: string): ODataResponse => ({
  status,
  type: 'application/json',
  body: JSON.stringify({ error: { code: CODES[status] ?? 'Error', message } }),
});

function respond(service: ODataService, data: ModelData, request: ODataRequest): ODataResponse {
  const options = readOptions(request.search);
  const { root, version } = request;
  const [first = '', second, third] = request.path.split('/').map(decoded);
  if (first === '$metadata') {
    if (/json/i.test(options.format ?? '')) throw notOffered('metadata as JSON');
    return { status: 200, type: 'application/xml', body: metadataXml(service, version) };
  }
  const writing = writingOf(request, options);
  if (first === '') {
    const context = { '@odata.context': `${root}$metadata` };
    const body = { ...(writing.isBare ? {} : context), value: serviceDocument(service) };
    return json(JSON.stringify(body), writing);
  }
  if (first.startsWith('$')) throw notOffered(first);
  const [, name, key] = /^([^(]*)(?:\((.*)\))?$/s.exec(first) ?? [];
  const place = placeOf(request, options);
  const most = Math.min(PAGE_ROWS, request.pageRows ?? PAGE_ROWS);
  const next = (at: number) => nextAddress(request, at);
  if (name === service.answers.id) {
    if (key !== undefined) throw notOffered('one entity of the answers');
    if (second === '$count' && third === undefined)
      return counted(answers(data, service.answers, { ...options, count: true }, 0, 0).count!);
    if (second !== undefined) throw new ODataError(404, `there is nothing at ${request.path}`);
    return json(pageText(answers(data, service.answers, options, place, most), root, writing, next), writing);
  }
  const set = service.sets.find((one) => one.id === name);
  if (!set) throw new ODataError(404, `there is no ${name ?? first} here`);
  if (key !== undefined) return oneOf(data, set, key, second, request, options, writing);
  if (second === '$count' && third === undefined) return counted(countOf(data, set, options));
  if (second !== undefined) throw new ODataError(404, `there is nothing at ${request.path}`);
  return json(pageText(entities(data, set, options, place, most), root, writing, next), writing);
}

function oneOf(
  data: ModelData,
  set: EntitySet,
  key: string,
  property: string | undefined,
  { root }: ODataRequest,
  { select }: Options,
  writing: Writing,
): ODataResponse {
  if (property !== undefined) throw notOffered('one property of an entity');
  const page: Page = entityOf(data, set, key, select);
  return json(entityText(page, root, writing), writing);
}

const counted = (count: number): ODataResponse => ({ status: 200, type: 'text/plain', body: String(count) });

const json = (body: string, { isBare, numbersAsTexts }: Writing): ODataResponse => ({
  status: 200,
  type: `application/json;odata.metadata=${isBare ? 'none' : 'minimal'}${numbersAsTexts ? ';IEEE754Compatible=true' : ''}`,
  body,
});

function decoded(segment: string): string {
  try {
    return decodeURIComponent(segment);
  } catch (error) {
    if (error instanceof URIError) throw wrong('the address has a % that stands for nothing');
    throw error;
  }
}

/** What of the JSON format is asked for: $format wins over the header. */
function writingOf({ accept }: ODataRequest, { format }: Options): Writing {
  const asked = format ?? accept;
  if (format !== undefined && !/json/i.test(format)) throw notOffered(`the format ${format}`);
  return {
    isBare: /metadata=none/i.test(asked),
    numbersAsTexts: /IEEE754Compatible=true/i.test(asked),
  };
}

/** How many rows were given before; 0 for a first page. */
function placeOf({ stamp }: ODataRequest, { token }: Options): number {
  if (token === undefined) return 0;
  const place = token.startsWith(`${stamp}-`) ? Number(token.slice(stamp.length + 1)) : NaN;
  if (!Number.isSafeInteger(place) || place < 0)
    throw wrong('the $skiptoken is not of this release: begin again with the first page');
  return place;
}

/** The address of the page that begins at a place: that of this one with another token. */
function nextAddress({ root, path, search, stamp }: ODataRequest, place: number): string {
  const kept = search.split('&').filter((part) => part !== '' && !/^(\$|%24)?skiptoken=/i.test(part));
  return `${root}${path}?${[...kept, `$skiptoken=${stamp}-${place}`].join('&')}`;
}

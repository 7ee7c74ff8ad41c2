import type * as z from 'zod';

/** Parts of a path that stand for something, such as `id` in `/models/:id/claims`. */
type NamesIn<Path extends string> = Path extends `${string}:${infer Name}/${infer Rest}`
  ? Name | NamesIn<`/${Rest}`>
  : Path extends `${string}:${infer Name}`
    ? Name
    : never;

/** Numbered things; all others go by a name. */
export const NUMBERED = ['id', 'load', 'kept', 'revision', 'release'] as const;
type Numbered = (typeof NUMBERED)[number];

export type PathParams<Path extends string> = {
  readonly [Name in NamesIn<Path>]: Name extends Numbered ? number : string;
};

export type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';

/**
 * One thing that the server can be asked. From it come the call of the screens and its SWR key, the route of
 * the server, and the entry of the OpenAPI document.
 */
export interface Endpoint<
  Path extends string = string,
  Search extends z.ZodType | undefined = z.ZodType | undefined,
  Request extends z.ZodType | undefined = z.ZodType | undefined,
  Answer extends z.ZodType = z.ZodType,
> {
  readonly method: Method;
  readonly path: Path;
  /** What it does, as a sentence without a full stop. */
  readonly says: string;
  /** Parameters behind the question mark: each a text. */
  readonly search: Search;
  /** The JSON body. */
  readonly request: Request;
  readonly answer: Answer;
  /** What is sent and what comes back where it is not JSON: the bytes of a file, a stream of events. */
  readonly sends: 'json' | 'bytes';
  readonly gives: 'json' | 'file' | 'events';
}

/** Whatever endpoint. */
export type AnyEndpoint = Endpoint<string, z.ZodType | undefined, z.ZodType | undefined>;

/**
 * What an endpoint is asked with, beside its body: the parts of its path and the parameters behind the
 * question mark.
 */
export type ArgsOf<E extends AnyEndpoint> = PathParams<E['path']> &
  (E['search'] extends z.ZodType ? z.input<E['search']> : unknown);
/** A body as a client sends it: what has a default may be left out. */
export type BodyOf<E extends AnyEndpoint> = E['request'] extends z.ZodType
  ? z.input<E['request']>
  : undefined;
export type AnswerOf<E extends AnyEndpoint> = z.output<E['answer']>;

export function endpoint<
  const Path extends string,
  Answer extends z.ZodType,
  Search extends z.ZodType | undefined = undefined,
  Request extends z.ZodType | undefined = undefined,
>(given: {
  readonly method: Method;
  readonly path: Path;
  readonly says: string;
  readonly search?: Search;
  readonly request?: Request;
  readonly answer: Answer;
  readonly sends?: Endpoint['sends'];
  readonly gives?: Endpoint['gives'];
}): Endpoint<Path, Search, Request, Answer> {
  const { search, request, sends = 'json', gives = 'json', ...rest } = given;
  return { ...rest, search: search as Search, request: request as Request, sends, gives };
}

/**
 * The address of an endpoint under `/api`, with everything in it escaped; also the SWR key of what is only
 * read.
 */
export function addressOf<E extends AnyEndpoint>(of: E, args: ArgsOf<E>): string {
  const given = new Map(Object.entries(args as Record<string, unknown>));
  const path = of.path.replace(/:(\w+)/g, (_, name: string) => {
    const value = given.get(name);
    if (value === undefined) throw new Error(`${of.path} is asked without ${name}`);
    given.delete(name);
    return encodeURIComponent(String(value));
  });
  const search = new URLSearchParams();
  for (const [name, value] of given)
    if (value !== undefined && value !== '') search.set(name, String(value as string | number));
  return search.size > 0 ? `${path}?${search.toString()}` : path;
}

/** Parts of a path as its endpoint has them; the name of one that is no number where it should be. */
export function pathParams<Path extends string>(
  of: { readonly path: Path },
  given: Readonly<Record<string, unknown>>,
): PathParams<Path> | { readonly wrong: string } {
  const found: Record<string, string | number> = {};
  for (const [, name] of of.path.matchAll(/:(\w+)/g)) {
    const text = String(given[name!]);
    const isNumber = (NUMBERED as readonly string[]).includes(name!);
    if (isNumber && !Number.isSafeInteger(Number(text))) return { wrong: text };
    found[name!] = isNumber ? Number(text) : text;
  }
  return found as PathParams<Path>;
}

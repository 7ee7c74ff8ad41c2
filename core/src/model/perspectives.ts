import { sameName } from './names.ts';
import type { Perspective } from './schema.ts';

/** What a perspective shows, by the list that it stands in. */
export type PerspectivePart = 'tables' | 'columns' | 'hierarchies' | 'measures' | 'listings' | 'trials';

/** The field that names an object which has a title of its own in a perspective, by its list. */
const FIELDS = {
  tables: 'table',
  columns: 'column',
  hierarchies: 'hierarchy',
  measures: 'measure',
  listings: 'listing',
  trials: 'trial',
} as const satisfies Record<PerspectivePart, string>;

export const PERSPECTIVE_PARTS = Object.keys(FIELDS) as readonly PerspectivePart[];

type Entry = string | Readonly<Record<string, string | undefined>>;

const entries = (p: Perspective, part: PerspectivePart): readonly Entry[] =>
  (p[part] ?? []) as readonly Entry[];
const nameIn = (entry: Entry, part: PerspectivePart): string =>
  typeof entry === 'string' ? entry : entry[FIELDS[part]]!;

/** Names of what a perspective shows of one kind, as they stand in it. */
export const shownNames = (p: Perspective, part: PerspectivePart): string[] =>
  entries(p, part).map((entry) => nameIn(entry, part));

export const isShown = (p: Perspective, part: PerspectivePart, name: string): boolean =>
  shownNames(p, part).some((shown) => sameName(shown, name));

/** The title that an object has for the audience of a perspective, where that is its own. */
export function titleIn(p: Perspective, part: PerspectivePart, name: string): string | undefined {
  const entry = entries(p, part).find((e) => sameName(nameIn(e, part), name));
  return typeof entry === 'object' ? entry['title'] : undefined;
}

/** The perspective with one of its lists made anew from the old one's names; entries keep their titles. */
function withPart(p: Perspective, part: PerspectivePart, list: readonly Entry[]): Perspective {
  if (p[part] === undefined && list.length === 0) return p;
  return { ...p, [part]: list } as Perspective;
}

/** The perspective that shows of one kind only what is to be kept. */
export const keepShown = (
  p: Perspective,
  part: PerspectivePart,
  keep: (name: string) => boolean,
): Perspective =>
  withPart(
    p,
    part,
    entries(p, part).filter((entry) => keep(nameIn(entry, part))),
  );

/** The perspective that shows some more objects of one kind. */
export const showMore = (p: Perspective, part: PerspectivePart, names: readonly string[]): Perspective =>
  withPart(p, part, [...entries(p, part), ...names.filter((name) => !isShown(p, part, name))]);

/** The perspective with other names for what it shows of one kind. */
export const renameShown = (
  p: Perspective,
  part: PerspectivePart,
  rename: (name: string) => string,
): Perspective =>
  withPart(
    p,
    part,
    entries(p, part).map((entry) =>
      typeof entry === 'string' ? rename(entry) : { ...entry, [FIELDS[part]]: rename(entry[FIELDS[part]]!) },
    ),
  );

/** The perspective with a title of its own for an object that it shows, or without. */
export const withTitleIn = (
  p: Perspective,
  part: PerspectivePart,
  name: string,
  title: string | undefined,
): Perspective =>
  withPart(
    p,
    part,
    entries(p, part).map((entry) => {
      const own = nameIn(entry, part);
      if (!sameName(own, name)) return entry;
      return title === undefined ? own : { [FIELDS[part]]: own, title };
    }),
  );

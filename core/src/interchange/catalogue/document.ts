/** A piece of a line. `to` is the id of a section that it leads to. */
export type Piece =
  | string
  | { readonly kind: 'strong' | 'code' | 'soft'; readonly text: string }
  | { readonly kind: 'link'; readonly text: string; readonly to: string }
  /** What follows stands on a line of its own. */
  | { readonly kind: 'break' };
export type Line = readonly Piece[];

/** A part of a section. */
export type Block =
  | { readonly kind: 'paragraph'; readonly line: Line; readonly isBad?: boolean }
  | { readonly kind: 'list'; readonly items: readonly Line[] }
  | { readonly kind: 'table'; readonly heads: readonly string[]; readonly rows: readonly (readonly Line[])[] }
  /** SVG; `says` is what it shows, in words. */
  | { readonly kind: 'picture'; readonly svg: string; readonly says: string };

export interface Section {
  readonly id: string;
  readonly title: string;
  readonly blocks: readonly Block[];
}

/** A model as it is handed over, whatever it is written as. */
export interface CatalogueDocument {
  readonly title: string;
  readonly intro: readonly Block[];
  /** Those without blocks are left out. */
  readonly sections: readonly Section[];
}

export const strong = (text: string): Piece => ({ kind: 'strong', text });
export const code = (text: string): Piece => ({ kind: 'code', text });
export const soft = (text: string): Piece => ({ kind: 'soft', text });
export const link = (text: string, to: string): Piece => ({ kind: 'link', text, to });
export const BREAK: Piece = { kind: 'break' };
export const paragraph = (...line: Piece[]): Block => ({ kind: 'paragraph', line });
/** A table, or nothing where it would have no rows. */
export const table = (heads: readonly string[], rows: readonly (readonly Line[])[]): Block[] =>
  rows.length === 0 ? [] : [{ kind: 'table', heads, rows }];
export const list = (items: readonly Line[]): Block[] =>
  items.length === 0 ? [] : [{ kind: 'list', items }];

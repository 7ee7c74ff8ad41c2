import { sameName } from '../model/index.ts';
import { quoteName } from './lexer.ts';
import { parseFormula } from './parser.ts';
import type { Span } from './source.ts';
import type { Place } from './places.ts';
import { placesIn } from './places.ts';

/** What gets another name. */
export type RenamedThing =
  | { readonly table: string; readonly column?: undefined }
  | { readonly table: string; readonly column: string }
  | { readonly measure: string }
  | { readonly relationship: string };

/**
 * The formula with another name wherever it names the thing; everything else, layout and comments included,
 * stays as it was written.
 * `own` is the table of a row formula. A formula with syntax errors is left alone.
 */
export function renameInFormula(source: string, thing: RenamedThing, to: string, own?: string): string {
  const { tree, faults } = parseFormula(source);
  if (faults.length > 0) return source;
  const spans: Span[] = [];
  for (const place of placesIn(tree)) if (isThing(place, thing, own)) spans.push(place.name);
  return spans
    .sort((a, b) => b.start - a.start)
    .reduce((text, { start, end }) => text.slice(0, start) + quoteName(to) + text.slice(end), source);
}

function isThing(place: Place, thing: RenamedThing, own: string | undefined): boolean {
  const is = (name: string) => sameName(place.name.text, name);
  if ('measure' in thing)
    return place.role === 'alone' && !place.step && own === undefined && !place.argument && is(thing.measure);
  if ('relationship' in thing) return place.role === 'relationship' && is(thing.relationship);
  if (thing.column === undefined)
    return (place.role === 'table' || (place.role === 'alone' && place.argument)) && is(thing.table);
  if (place.role === 'column') return sameName(place.table, thing.table) && is(thing.column);
  return place.role === 'alone' && own !== undefined && sameName(own, thing.table) && is(thing.column);
}

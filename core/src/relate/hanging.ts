import type { Model } from '../model/index.ts';
import { sameName, splitPath } from '../model/index.ts';

/** A part of the model that would lose its ground without a table. */
export interface Hanging {
  readonly kind: 'relationship' | 'hierarchy' | 'measure' | 'perspective' | 'derived table' | 'calendar';
  readonly name: string;
}

/** Whether a formula names a table: as a word, in quotes or before a dot. */
function names(formula: string, table: string): boolean {
  const escaped = table.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
  return new RegExp(`(^|[^\\p{L}\\p{N}_"])"?${escaped}"?($|[^\\p{L}\\p{N}_"])`, 'iu').test(formula);
}

/** What rests on a table, so that nobody takes it away without knowing: relationships from and to it first. */
export function hangingOn(model: Model, table: string): Hanging[] {
  const steps = (t: Model['tables'][number]): boolean =>
    t.source !== undefined && 'steps' in t.source && t.source.steps.some((step) => names(JSON.stringify(step), table));
  const isCalendar = (model.calendars ?? []).some((c) => sameName(c.table, table));
  return [
    ...(model.relationships ?? [])
      .filter((r) => sameName(r.from.table, table) || sameName(r.to.table, table))
      .map((r): Hanging => ({ kind: 'relationship', name: r.name })),
    ...model.tables.filter((t) => !sameName(t.name, table) && steps(t)).map((t): Hanging => ({ kind: 'derived table', name: t.name })),
    ...(model.hierarchies ?? [])
      .filter((h) => sameName(h.table, table) || (h.levels ?? []).some((l) => sameName(splitPath(l.column)?.[0] ?? '', table)))
      .map((h): Hanging => ({ kind: 'hierarchy', name: `${h.table}.${h.name}` })),
    ...(model.measures ?? [])
      // A measure over periods rests on a calendar without naming it.
      .filter((m) => names(m.formula, table) || (isCalendar && /\bover\s*\(/i.test(m.formula)))
      .map((m): Hanging => ({ kind: 'measure', name: m.name })),
    ...(isCalendar ? (model.periodFamilies ?? []) : []).map((f): Hanging => ({ kind: 'measure', name: `${f.measure}, by periods` })),
    ...(model.perspectives ?? [])
      .filter((p) => p.tables.some((t) => sameName(t, table)) || (p.columns ?? []).some((c) => sameName(splitPath(c)?.[0] ?? '', table)))
      .map((p): Hanging => ({ kind: 'perspective', name: p.name })),
    ...(isCalendar ? [{ kind: 'calendar' as const, name: table }] : []),
  ];
}

import { useCallback } from 'react';
import { useNavigate, useParams } from 'react-router';
import type { About } from '@crease/core/claims';
import { useAddress } from './address.ts';

export type SelectionKind =
  | 'table'
  | 'column'
  | 'relationship'
  | 'hierarchy'
  | 'measure'
  | 'perspective'
  | 'claim';

/** What is selected: one thing across all stages, kept in the address. A column is written `table.column`. */
export interface Selection {
  readonly kind: SelectionKind;
  readonly name: string;
}

export function parseSelection(text: string | null): Selection | undefined {
  const match = /^(table|column|relationship|hierarchy|measure|perspective|claim):(.+)$/s.exec(text ?? '');
  return match ? { kind: match[1] as SelectionKind, name: match[2]! } : undefined;
}

export const selectionText = (selection: Selection): string => `${selection.kind}:${selection.name}`;

export function useSelection(): [Selection | undefined, (selection: Selection | undefined) => void] {
  const [params, change] = useAddress();
  const select = useCallback(
    (selection: Selection | undefined) =>
      change((next) => {
        if (selection) next.set('sel', selectionText(selection));
        else next.delete('sel');
        next.delete('claim');
      }),
    [change],
  );
  return [parseSelection(params.get('sel')), select];
}

/** What of an address is kept on the way to another stage: for whose eyes the model is looked at. */
export function keptAddress(search: string): URLSearchParams {
  const audience = new URLSearchParams(search).get('as');
  return new URLSearchParams(audience ? { as: audience } : {});
}

/**
 * Goes to a stage; the selection stays, or changes to the one given. `claim` is the one of its claims that is
 * meant, `view` what the stage shows.
 */
export function useGo(): (stage: string, selection?: Selection, claim?: string, view?: string) => void {
  const navigate = useNavigate();
  const { model } = useParams();
  return useCallback(
    (stage, selection, claim, view) => {
      const { search } = window.location;
      const next = keptAddress(search);
      const kept = selection ? selectionText(selection) : new URLSearchParams(search).get('sel');
      if (kept) next.set('sel', kept);
      if (claim !== undefined) next.set('claim', claim);
      if (view !== undefined) next.set('view', view);
      void navigate({ pathname: `/m/${model}/${stage}`, search: next.size > 0 ? `?${next}` : '' });
    },
    [navigate, model],
  );
}

const same = (a: string | undefined, b: string): boolean =>
  a !== undefined && a.toLowerCase() === b.toLowerCase();

/** Whether a claim is about the selection. */
export function isAbout(about: readonly About[], selection: Selection, subject: string, id: string): boolean {
  switch (selection.kind) {
    case 'claim':
      return id === selection.name;
    case 'column':
      return about.some(
        (a) =>
          a.table !== undefined && a.column !== undefined && same(`${a.table}.${a.column}`, selection.name),
      );
    default:
      return (
        about.some((a) =>
          same(a[selection.kind as Exclude<SelectionKind, 'claim' | 'column'>], selection.name),
        ) || same(subject, selection.name)
      );
  }
}

/** The one object that a claim is about first: where it is fixed. */
export function objectOf({
  id,
  about,
}: {
  readonly id: string;
  readonly about: readonly About[];
}): Selection {
  for (const kind of ['relationship', 'hierarchy', 'measure', 'perspective'] as const) {
    const name = about.find((a) => a[kind] !== undefined)?.[kind];
    if (name !== undefined) return { kind, name };
  }
  const column = about.find((a) => a.table !== undefined && a.column !== undefined);
  if (column) return { kind: 'column', name: `${column.table}.${column.column}` };
  const table = about.find((a) => a.table !== undefined)?.table;
  return table === undefined ? { kind: 'claim', name: id } : { kind: 'table', name: table };
}

/** The stage on which a kind of thing is designed. */
export const STAGE_OF: Record<SelectionKind, string> = {
  table: 'stars',
  column: 'shape',
  relationship: 'stars',
  hierarchy: 'hierarchies',
  measure: 'measures',
  perspective: 'perspectives',
  claim: 'claims',
};

/** One more thing that the address says of a screen: a view, a step. */
export function useParam(name: string): [string | undefined, (value: string | undefined) => void] {
  const [params, change] = useAddress();
  const set = useCallback(
    (value: string | undefined) =>
      change(
        (next) => {
          if (value === undefined) next.delete(name);
          else next.set(name, value);
        },
        { replace: true },
      ),
    [name, change],
  );
  return [params.get(name) ?? undefined, set];
}

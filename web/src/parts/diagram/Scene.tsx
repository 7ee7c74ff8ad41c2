import { memo, useMemo } from 'react';
import type { PointerEvent } from 'react';
import type { About, JudgedClaim } from '@crease/core/claims';
import type { Selection } from '../../state/selection.ts';
import type { ColumnEnd } from './layout.ts';
import { EdgeLine, EdgeMark } from './EdgeLine.tsx';
import type { Card, Edge } from './layout.ts';
import { TableCard } from './TableCard.tsx';

interface Props {
  readonly cards: readonly Card[];
  readonly edges: readonly Edge[];
  readonly claims: readonly JudgedClaim[];
  readonly selection: Selection | undefined;
  readonly detail: 'names' | 'keys';
  /** The column under a drag. */
  readonly target: ColumnEnd | undefined;
  readonly onSelect: (selection: Selection) => void;
  readonly onColumn: (event: PointerEvent<SVGGElement>, end: ColumnEnd) => void;
  readonly onHead: (event: PointerEvent<SVGGElement>, table: string) => void;
  /** What filters on the selected table reach; everything else is faded. */
  readonly reached?:
    | { readonly tables: ReadonlySet<string>; readonly relationships: ReadonlySet<string> }
    | undefined;
}

/** Whether a claim is about the table itself, not about something that it takes part in. */
const isOnTable = (first: About | undefined): boolean =>
  first?.table !== undefined &&
  first.relationship === undefined &&
  first.hierarchy === undefined &&
  first.measure === undefined;

/**
 * Lines and cards. Panning and zooming move the picture as a whole, so this is drawn anew only when what it
 * shows changes.
 */
export const Scene = memo(function Scene({
  cards,
  edges,
  claims,
  selection,
  detail,
  target,
  onSelect,
  onColumn,
  onHead,
  reached,
}: Props) {
  const bySubject = useMemo(() => Map.groupBy(claims, (c) => c.subject), [claims]);
  const broken = useMemo(
    () =>
      new Set(
        claims.filter((c) => c.verdict === 'broken' && isOnTable(c.about[0])).map((c) => c.about[0]!.table),
      ),
    [claims],
  );
  const table =
    selection?.kind === 'table'
      ? selection.name.toLowerCase()
      : selection?.kind === 'column'
        ? selection.name.split('.')[0]!.toLowerCase()
        : undefined;
  const relationship = selection?.kind === 'relationship' ? selection.name.toLowerCase() : undefined;
  const isFaded = (edge: Edge): boolean =>
    reached
      ? !reached.relationships.has(edge.relationship.name)
      : table !== undefined && ![edge.from, edge.to].some((c) => c.table.name.toLowerCase() === table);
  return (
    <>
      {edges.map((edge) => (
        <EdgeLine
          key={edge.relationship.name}
          edge={edge}
          claims={bySubject.get(edge.relationship.name) ?? []}
          selected={relationship === edge.relationship.name.toLowerCase()}
          faded={isFaded(edge)}
          onSelect={() => onSelect({ kind: 'relationship', name: edge.relationship.name })}
        />
      ))}
      {edges.map((edge) => (
        <EdgeMark
          key={edge.relationship.name}
          edge={edge}
          claims={bySubject.get(edge.relationship.name) ?? []}
          faded={isFaded(edge)}
        />
      ))}
      {cards.map((card) => (
        <TableCard
          key={card.table.name}
          card={card}
          detail={detail}
          broken={broken.has(card.table.name)}
          selected={table === card.table.name.toLowerCase()}
          target={target?.table === card.table.name ? target.column : undefined}
          onSelect={() => onSelect({ kind: 'table', name: card.table.name })}
          onColumn={(event, column) => onColumn(event, { table: card.table.name, column })}
          onHead={(event) => onHead(event, card.table.name)}
          faded={reached !== undefined && !reached.tables.has(card.table.name)}
        />
      ))}
    </>
  );
});

import type { Model, Table } from '../../model/index.ts';
import { escapedHtml as escaped } from '../../values/index.ts';

// Boxes in columns: facts first, then what they look up, hop by hop, so that lines go to the right.

const [WIDTH, HEIGHT, GAP, APART] = [170, 26, 12, 90];
const LONGEST = 24;

interface Way {
  readonly from: string;
  readonly to: string;
}

/** The ways without those that close a circle of references. */
function withoutCircles(ways: readonly Way[]): Way[] {
  const state = new Map<string, 'open' | 'done'>();
  const kept: Way[] = [];
  const visit = (name: string): void => {
    if (state.has(name)) return;
    state.set(name, 'open');
    for (const way of ways) {
      if (way.from !== name || state.get(way.to) === 'open') continue;
      kept.push(way);
      visit(way.to);
    }
    state.set(name, 'done');
  };
  const lookedUp = new Set(ways.map((w) => w.to));
  for (const { from } of ways) if (!lookedUp.has(from)) visit(from);
  for (const { from } of ways) visit(from);
  return kept;
}

/** The column of each table: facts and what nobody looks up first, then as many hops away as it is. */
function columnsOf(tables: readonly Table[], ways: readonly Way[]): Map<string, number> {
  const column = new Map(tables.map((t) => [t.name, 0]));
  for (let isDone = false; !isDone;) {
    isDone = true;
    for (const { from, to } of ways) {
      if (column.get(to)! > column.get(from)!) continue;
      column.set(to, column.get(from)! + 1);
      isDone = false;
    }
  }
  return column;
}

const short = (text: string): string => (text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text);

/** Tables and the relationships between them as SVG; each box leads to the table's section. */
export function starsPicture(model: Model, tables: readonly Table[]): string {
  const found = new Map(tables.map((t) => [t.name.toLowerCase(), t.name]));
  const ways = (model.relationships ?? []).flatMap((r): Way[] => {
    const [from, to] = [found.get(r.from.table.toLowerCase()), found.get(r.to.table.toLowerCase())];
    return from !== undefined && to !== undefined ? [{ from, to }] : [];
  });
  const column = columnsOf(tables, withoutCircles(ways));
  const inColumn = new Map<number, number>();
  const place = new Map(
    tables.map((t) => {
      const x = column.get(t.name)!;
      const y = inColumn.get(x) ?? 0;
      inColumn.set(x, y + 1);
      return [t.name, { x: x * (WIDTH + APART), y: y * (HEIGHT + GAP) }] as const;
    }),
  );
  const width = (Math.max(0, ...inColumn.keys()) + 1) * (WIDTH + APART) - APART;
  const height = Math.max(1, ...inColumn.values()) * (HEIGHT + GAP) - GAP;
  const lines = ways.map(({ from, to }) => {
    const [a, b] = [place.get(from)!, place.get(to)!];
    const [x, y, u, v] = [a.x + WIDTH, a.y + HEIGHT / 2, b.x, b.y + HEIGHT / 2];
    const bend = Math.max(30, Math.abs(u - x) / 2);
    return `<path d="M${x} ${y} C${x + bend} ${y} ${u - bend} ${v} ${u} ${v}"/>`;
  });
  const boxes = tables.map((t) => {
    const { x, y } = place.get(t.name)!;
    const name = t.title ?? t.name;
    return `<a href="#${encodeURIComponent(`table-${t.name.toLowerCase()}`)}"><rect x="${x}" y="${y}" width="${WIDTH}" height="${HEIGHT}"${t.role === 'fact' ? ' stroke-width="2"' : ''}/><text x="${x + 8}" y="${y + 17}">${escaped(short(name))}<title>${escaped(name)}</title></text></a>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" role="img" viewBox="-2 -2 ${width + 4} ${height + 4}" width="${width + 4}" height="${height + 4}">${lines.join('')}${boxes.join('')}</svg>`;
}

/** The same in words. */
export function starsInWords(model: Model, tables: readonly Table[]): string {
  const names = new Set(tables.map((t) => t.name.toLowerCase()));
  const facts = tables.filter((t) => t.role === 'fact');
  return facts
    .map((fact) => {
      const to = (model.relationships ?? [])
        .filter(
          (r) =>
            r.from.table.toLowerCase() === fact.name.toLowerCase() && names.has(r.to.table.toLowerCase()),
        )
        .map((r) => r.to.table);
      return `${fact.name} looks up ${[...new Set(to)].join(', ') || 'nothing'}`;
    })
    .join('; ');
}

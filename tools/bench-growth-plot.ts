import { numberText } from '@crease/core/values';

/** One kind of work: milliseconds at each number of rows. */
export interface GrowthLine {
  readonly name: string;
  readonly ms: readonly number[];
}

const WIDTH = 760;
const HEIGHT = 420;
const LEFT = 80;
const RIGHT = 170;
const TOP = 24;
const BOTTOM = 48;
const COLOURS = ['#1d4ed8', '#0f766e', '#b45309', '#7c3aed', '#be123c'];

const spoken = (ms: number): string => (ms >= 1000 ? `${numberText(ms / 1000)} s` : `${ms} ms`);

/**
 * Times by rows, both in powers of ten: work that grows with the rows is a line from corner to corner of the
 * squares, work that does not is level. SVG, readable on light and on dark.
 */
export function growthPlot(rows: readonly number[], lines: readonly GrowthLine[]): string {
  const all = lines.flatMap(({ ms }) => ms);
  const least = Math.floor(Math.log10(Math.min(...all)));
  const most = Math.ceil(Math.log10(Math.max(...all)));
  const first = Math.log10(rows[0]!);
  const x = (n: number) =>
    LEFT + ((Math.log10(n) - first) / (Math.log10(rows.at(-1)!) - first || 1)) * (WIDTH - LEFT - RIGHT);
  const y = (ms: number) => TOP + ((most - Math.log10(ms)) / (most - least)) * (HEIGHT - TOP - BOTTOM);
  const at = (value: number) => value.toFixed(1);
  const grid = [
    ...Array.from({ length: most - least + 1 }, (_, i) => {
      const ms = 10 ** (least + i);
      return `<line x1="${LEFT}" x2="${WIDTH - RIGHT}" y1="${at(y(ms))}" y2="${at(y(ms))}"/><text x="${LEFT - 8}" y="${at(y(ms) + 4)}" text-anchor="end">${spoken(ms)}</text>`;
    }),
    ...rows.map(
      (n) =>
        `<line x1="${at(x(n))}" x2="${at(x(n))}" y1="${TOP}" y2="${HEIGHT - BOTTOM}"/><text x="${at(x(n))}" y="${HEIGHT - BOTTOM + 20}" text-anchor="middle">${numberText(n)}</text>`,
    ),
  ];
  const places = labelPlaces(lines.map(({ ms }) => y(ms.at(-1)!)));
  const drawn = lines.map(({ name, ms }, i) => {
    const colour = COLOURS[i % COLOURS.length]!;
    const points = ms.map((time, k) => `${at(x(rows[k]!))},${at(y(time))}`);
    const dots = points.map((point) => {
      const [cx, cy] = point.split(',');
      return `<circle cx="${cx}" cy="${cy}" r="3.5" fill="${colour}"/>`;
    });
    const end = at(WIDTH - RIGHT + 12);
    return `<polyline points="${points.join(' ')}" fill="none" stroke="${colour}" stroke-width="2"/>${dots.join('')}<text x="${end}" y="${at(places[i]! + 4)}" fill="${colour}">${name}</text>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${HEIGHT}" font-family="sans-serif" font-size="13">
<title>Times by lines of the fact</title>
<rect width="${WIDTH}" height="${HEIGHT}" fill="#ffffff"/>
<g stroke="#d4d4d8" fill="#52525b" stroke-width="1"><g style="paint-order: stroke" stroke-linecap="round">
${grid.map((part) => part.replaceAll('<text', '<text stroke="none"')).join('\n')}
</g></g>
<text x="${at((LEFT + WIDTH - RIGHT) / 2)}" y="${HEIGHT - 8}" text-anchor="middle" fill="#52525b">lines of the fact</text>
${drawn.join('\n')}
</svg>
`;
}

/** Places of labels from top to bottom, moved apart where two would lie on each other. */
function labelPlaces(wanted: readonly number[]): number[] {
  const APART = 17;
  const order = [...wanted.keys()].sort((a, b) => wanted[a]! - wanted[b]!);
  const places = [...wanted];
  for (let k = 1; k < order.length; k++)
    places[order[k]!] = Math.max(places[order[k]!]!, places[order[k - 1]!]! + APART);
  return places;
}

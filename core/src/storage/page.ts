import { bytesText, escapedHtml as escaped, htmlPage } from '../values/index.ts';
import type { ProfileDocument } from './document.ts';

type PageTable = ProfileDocument['tables'][number];
type PageColumn = PageTable['columns'][number];

const bitsText = (n: number): string => String(Number(n.toPrecision(3)));
const countText = (n: number): string => String(n).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
const perRow = (bytes: number, rows: number): number => (rows === 0 ? 0 : (8 * bytes) / rows);

const STYLE = `
svg { display: block; width: 100%; }
.ink { fill: var(--ink); } .pale { fill: var(--pale); } .bar { fill: var(--bar); }
.key { display: inline-block; width: 14px; height: 9px; margin: 0 4px 0 12px; }
`;

/**
 * A profile as one HTML page that opens anywhere: it needs nothing else, runs nothing, and holds names,
 * counts and sizes alone.
 */
export function profilePage(profile: ProfileDocument): string {
  const title = escaped(profile.title ?? profile.model);
  const tables = [...profile.tables].sort((a, b) => b.totalBytes - a.totalBytes);
  const scale = Math.max(1, ...tables.map((t) => perRow(t.totalBytes, t.rows)));
  const most = Math.max(1, ...tables.map((t) => t.rows));
  const revision = profile.revision === undefined ? '' : `, revision ${profile.revision}`;
  const body = `<h1>${title}: what a row weighs</h1>
<p>${bytesText(profile.totalBytes)} encoded, measured ${escaped(profile.at)}${revision}. The length of a ruler is the
bits of one row, its thickness the rows.
<span class="key" style="background: var(--ink)"></span>what the values need
<span class="key" style="background: var(--pale)"></span>what the way of holding adds
<span class="key" style="background: var(--bar)"></span>dictionary</p>
${tables.map((t) => tableHtml(t, scale, most)).join('\n')}
${relationshipsHtml(profile)}`;
  return htmlPage(`${profile.title ?? profile.model}: what a row weighs`, body, STYLE);
}

function tableHtml(table: PageTable, scale: number, most: number): string {
  const columns = [...table.columns].sort((a, b) => b.totalBytes - a.totalBytes);
  const head = `<h2>${escaped(table.name)}</h2>`;
  if (table.fault !== undefined) return `<section>${head}<p>${escaped(table.fault)}</p></section>`;
  const says = `${bitsText(perRow(table.totalBytes, table.rows))} bits a row × ${countText(table.rows)} rows = ${bytesText(table.totalBytes)}`;
  return `<section>${head}<p>${says}</p>
${rulerSvg(table, columns, scale, most)}
<table><thead><tr><th>column<th>type<th class="n">bytes<th class="n">bits a row<th class="n">needs<th class="n">distinct<th class="n">nulls<th class="n">stretches<th>held as<th>used by</tr></thead>
<tbody>${columns.map((c) => columnHtml(c, table.rows)).join('\n')}</tbody></table></section>`;
}

function rulerSvg(table: PageTable, columns: readonly PageColumn[], scale: number, most: number): string {
  const height = Math.max(3, (48 * table.rows) / most);
  let x = 0;
  const rects = columns.flatMap((c) => {
    const held = perRow(c.dataBytes, table.rows);
    const least = Math.min(c.leastBits, held);
    const parts: [kind: string, width: number][] = [
      ['ink', least],
      ['pale', held - least],
      ['bar', perRow(c.dictionaryBytes, table.rows)],
    ];
    const drawn = parts
      .filter(([, width]) => width > 0)
      .map(([kind, width]) => {
        const rect = `<rect class="${kind}" x="${x.toFixed(3)}" width="${width.toFixed(3)}" height="${height.toFixed(1)}"/>`;
        x += width;
        return rect;
      });
    return drawn.length === 0 ? [] : [`<g><title>${escaped(c.name)}</title>${drawn.join('')}</g>`];
  });
  return `<svg viewBox="0 0 ${scale.toFixed(3)} ${height.toFixed(1)}" height="${height.toFixed(1)}" preserveAspectRatio="none" role="img">${rects.join('')}</svg>`;
}

function columnHtml(c: PageColumn, rows: number): string {
  const formula = c.formula === undefined ? '' : `<br><small>${escaped(c.formula)}</small>`;
  const cells = [
    bytesText(c.totalBytes),
    bitsText(perRow(c.totalBytes, rows)),
    bitsText(c.leastBits),
    countText(c.distinct),
    countText(c.nulls),
    countText(c.runs),
  ];
  return `<tr><td>${escaped(c.name)}${formula}<td>${escaped(c.type)}${cells
    .map((text) => `<td class="n">${text}`)
    .join('')}<td>${escaped(c.encoding)}<td>${escaped(c.usedBy.join(', '))}</tr>`;
}

function relationshipsHtml({ relationships, hierarchies }: ProfileDocument): string {
  if (relationships.length + hierarchies.length === 0) return '';
  const rows = [
    ...relationships.map(
      (r) =>
        `<tr><td>${escaped(r.name)}<td class="n">${countText(r.fromDistinct)}<td class="n">${countText(r.toDistinct)}<td class="n">${bytesText(r.bytes)}</tr>`,
    ),
    ...hierarchies.map(
      (h) => `<tr><td>${escaped(h.name)}<td class="n"><td class="n"><td class="n">${bytesText(h.bytes)}</tr>`,
    ),
  ];
  return `<section><h2>Relationships and hierarchies</h2>
<table><thead><tr><th>name<th class="n">different values, referring<th class="n">referred to<th class="n">bytes</tr></thead>
<tbody>${rows.join('\n')}</tbody></table></section>`;
}

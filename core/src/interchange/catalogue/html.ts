import { escapedHtml as escaped, htmlPage } from '../../values/index.ts';
import type { Block, CatalogueDocument, Line, Piece } from './document.ts';

const STYLE = `
nav { columns: 3; margin: 1rem 0; } nav a { display: block; color: inherit; }
code { font: 12px/1.5 ui-monospace, monospace; white-space: pre-wrap; }
section { margin-top: 2rem; } td { vertical-align: top; }
.soft { color: var(--soft); } .bad { border-left: 4px solid #b8321f; padding-left: 8px; }
svg { max-width: 100%; height: auto; } svg rect { fill: var(--paper); stroke: var(--bar); }
svg text { font: 12px system-ui, sans-serif; fill: var(--ink); } svg path { fill: none; stroke: var(--bar); }
@media print {
  nav { display: none; } section { break-inside: auto; } tr, h2 { break-inside: avoid; } h2 { break-after: avoid; }
}
`;

function pieceHtml(piece: Piece): string {
  if (typeof piece === 'string') return escaped(piece);
  switch (piece.kind) {
    case 'strong':
      return `<b>${escaped(piece.text)}</b>`;
    case 'code':
      return `<code>${escaped(piece.text)}</code>`;
    case 'soft':
      return `<span class="soft">${escaped(piece.text)}</span>`;
    case 'link':
      return `<a href="#${encodeURIComponent(piece.to)}">${escaped(piece.text)}</a>`;
    case 'break':
      return '<br>';
  }
}

const lineHtml = (line: Line): string => line.map(pieceHtml).join('');

function blockHtml(block: Block): string {
  switch (block.kind) {
    case 'paragraph':
      return `<p${block.isBad ? ' class="bad"' : ''}>${lineHtml(block.line)}</p>`;
    case 'list':
      return `<ul>${block.items.map((item) => `<li>${lineHtml(item)}</li>`).join('')}</ul>`;
    case 'table': {
      const heads = block.heads.map((head) => `<th>${escaped(head)}</th>`).join('');
      const rows = block.rows.map(
        (row) => `<tr>${row.map((cell) => `<td>${lineHtml(cell)}</td>`).join('')}</tr>`,
      );
      return `<table><thead><tr>${heads}</tr></thead><tbody>${rows.join('\n')}</tbody></table>`;
    }
    case 'picture':
      return block.svg;
  }
}

/** The document as one page that needs nothing else, runs nothing, and prints well. */
export function catalogueHtml({ title, intro, sections }: CatalogueDocument): string {
  const shown = sections.filter((s) => s.blocks.length > 0);
  const body = [
    `<h1>${escaped(title)}</h1>`,
    ...intro.map(blockHtml),
    `<nav>${shown.map((s) => `<a href="#${encodeURIComponent(s.id)}">${escaped(s.title)}</a>`).join('')}</nav>`,
    ...shown.map(
      (s) =>
        `<section id="${encodeURIComponent(s.id)}"><h2>${escaped(s.title)}</h2>${s.blocks.map(blockHtml).join('')}</section>`,
    ),
  ];
  return htmlPage(title, body.join('\n'), STYLE);
}

import type { Block, CatalogueDocument, Line, Piece } from './document.ts';

/** What means something in Markdown is escaped, and HTML cannot begin (CommonMark 0.31, 2.4). */
const escaped = (text: string): string =>
  text.replace(/[\\`*_{}[\]<>#|~&]/g, (sign) => `\\${sign}`).replace(/\s*\n\s*/g, ' ');

/** A code span: longer fences than any run of backticks within. It is one line, since a table may hold it. */
function codeSpan(text: string): string {
  const flat = text.replace(/\s*\n\s*/g, ' ').replaceAll('|', '\\|');
  const longest = Math.max(0, ...(flat.match(/`+/g) ?? []).map((run) => run.length));
  const fence = '`'.repeat(longest + 1);
  return longest > 0 ? `${fence} ${flat} ${fence}` : `${fence}${flat}${fence}`;
}

function pieceText(piece: Piece): string {
  if (typeof piece === 'string') return escaped(piece);
  switch (piece.kind) {
    case 'strong':
      return piece.text === '' ? '' : `**${escaped(piece.text)}**`;
    case 'code':
      return piece.text === '' ? '' : codeSpan(piece.text);
    case 'soft':
      return escaped(piece.text);
    case 'link':
      return `[${escaped(piece.text)}](#${encodeURIComponent(piece.to)})`;
    case 'break':
      return '<br>';
  }
}

const lineText = (line: Line): string => line.map(pieceText).join('');

function blockText(block: Block): string {
  switch (block.kind) {
    case 'paragraph':
      return `${block.isBad ? '> ' : ''}${lineText(block.line)}`;
    case 'list':
      return block.items.map((item) => `- ${lineText(item)}`).join('\n');
    case 'table': {
      const row = (cells: readonly string[]) => `| ${cells.join(' | ')} |`;
      const rows = block.rows.map((cells) => row(cells.map(lineText)));
      return [row(block.heads.map(escaped)), row(block.heads.map(() => '---')), ...rows].join('\n');
    }
    case 'picture':
      return escaped(block.says);
  }
}

/** The document as Markdown, with tables as most readers of it know them; pictures are told in words. */
export function catalogueMarkdown({ title, intro, sections }: CatalogueDocument): string {
  const parts = [
    `# ${escaped(title)}`,
    ...intro.map(blockText),
    ...sections
      .filter((s) => s.blocks.length > 0)
      .flatMap((s) => [
        `<a id="${encodeURIComponent(s.id)}"></a>\n\n## ${escaped(s.title)}`,
        ...s.blocks.map(blockText),
      ]),
  ];
  return `${parts.join('\n\n')}\n`;
}

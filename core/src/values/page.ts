// What pages to hand over have in common: they need nothing else and run nothing.

const ENTITIES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

/** A text as it stands in HTML, also between quotes. */
export const escapedHtml = (text: string): string => text.replace(/[&<>"']/g, (sign) => ENTITIES[sign]!);

const STYLE = `
:root { --ink: #211e19; --paper: #faf6ec; --soft: #5d564a; --rule: #d8cdb7; --bar: #8d8069; --pale: #cbbfa6; }
@media (prefers-color-scheme: dark) {
  :root { --ink: #ece5d6; --paper: #211e1a; --soft: #b3a994; --rule: #3b362e; --bar: #a3967d; --pale: #5a5243; }
}
body { margin: 2rem auto; max-width: 70rem; padding: 0 1rem; background: var(--paper); color: var(--ink);
  font: 14px/1.45 system-ui, sans-serif; }
h1, h2 { font-family: Georgia, serif; margin-bottom: 0.2rem; }
p { color: var(--soft); margin-top: 0; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: left; padding: 2px 10px 2px 0; border-bottom: 1px solid var(--rule); }
th { color: var(--soft); font-size: 12px; }
.n { text-align: right; }
`;

/** A whole page of some HTML, with a title in plain text and rules of style of its own. */
export const htmlPage = (title: string, body: string, style = ''): string => `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<title>${escapedHtml(title)}</title>
<style>${STYLE}${style}</style>
${body}
</html>
`;

import type { JudgedClaim } from '../claims/index.ts';
import type { Model, Perspective, Table } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import { escapedHtml as escaped, htmlPage } from '../values/index.ts';

const STYLE = `
nav { columns: 3; margin: 1rem 0; } nav a { display: block; color: inherit; }
code { font: 12px/1.5 ui-monospace, monospace; white-space: pre-wrap; }
section { margin-top: 2rem; } td { vertical-align: top; }
.soft { color: var(--soft); } .bad { border-left: 4px solid #b8321f; padding-left: 8px; }
`;

const nameOf = (t: Table): string => t.title ?? t.name;
const anchor = (kind: string, name: string): string => `${kind}-${encodeURIComponent(name.toLowerCase())}`;
const paragraph = (text: string | undefined): string => (text ? `<p>${escaped(text)}</p>` : '');
const row = (...cells: string[]): string => `<tr>${cells.map((cell) => `<td>${cell}`).join('')}</tr>`;
const table = (heads: readonly string[], rows: readonly string[]): string =>
  rows.length === 0
    ? ''
    : `<table><thead><tr>${heads.map((h) => `<th>${h}`).join('')}</tr></thead><tbody>${rows.join('\n')}</tbody></table>`;
const section = (id: string, title: string, body: string): string =>
  body === '' ? '' : `<section id="${id}"><h2>${escaped(title)}</h2>${body}</section>`;

/**
 * A model as one HTML page to hand over: what each table, column and measure is, how they hang together, what
 * each audience sees, and what of its claims does not hold. It has no value of the data. `claims` are left
 * out where nothing was judged.
 */
export function cataloguePage(model: Model, claims: readonly JudgedClaim[] | undefined, at: Date): string {
  const title = model.title ?? model.name;
  const measures = model.measures ?? [];
  const body = [
    `<h1>${escaped(title)}</h1>`,
    paragraph(model.description),
    `<p>${model.tables.length} tables, ${measures.length} measures; written ${at.toISOString().slice(0, 10)}${model.asOf === undefined ? '' : `, periods count from ${model.asOf}`}.</p>`,
    `<nav>${[
      ...model.tables.map((t) => `<a href="#${anchor('table', t.name)}">${escaped(nameOf(t))}</a>`),
      ...(measures.length > 0 ? ['<a href="#measures">Measures</a>'] : []),
    ].join('')}</nav>`,
    section('measures', 'Measures', measuresHtml(model)),
    ...model.tables.map((t) => section(anchor('table', t.name), nameOf(t), tableHtml(model, t))),
    section('hierarchies', 'Hierarchies', hierarchiesHtml(model)),
    section('perspectives', 'Perspectives', (model.perspectives ?? []).map(perspectiveHtml).join('')),
    section('claims', 'Claims that do not hold', claims ? claimsHtml(claims) : ''),
  ].join('\n');
  return htmlPage(title, body, STYLE);
}

function measuresHtml(model: Model): string {
  const folders = [...(model.measures ?? [])].sort((a, b) => (a.folder ?? '').localeCompare(b.folder ?? ''));
  // Readers are shown no formula that speaks of what is not shown to them.
  const hasFormulas = folders.some((m) => m.formula !== '');
  return table(
    ['measure', ...(hasFormulas ? ['formula'] : []), 'what it is', 'folder'],
    folders.map((m) =>
      row(
        `<b>${escaped(m.title ?? m.name)}</b>${m.title ? `<br><code>${escaped(m.name)}</code>` : ''}${m.hidden ? ' <span class="soft">hidden</span>' : ''}`,
        ...(hasFormulas ? [`<code>${escaped(m.formula)}</code>`] : []),
        escaped(m.description ?? ''),
        escaped(m.folder ?? ''),
      ),
    ),
  );
}

function tableHtml(
  model: Model,
  { name, role, grain, process, key, columns, description, ...of }: Table,
): string {
  const ways = (model.relationships ?? []).filter(
    (r) => sameName(r.from.table, name) || sameName(r.to.table, name),
  );
  const wayText = (r: (typeof ways)[number]) => {
    const [here, there] = sameName(r.from.table, name) ? [r.from, r.to] : [r.to, r.from];
    const arrow = here === r.from ? '→' : '←';
    return `<li>${escaped(here.columns.join(', '))} ${arrow} <a href="#${anchor('table', there.table)}">${escaped(there.table)}</a> (${escaped(there.columns.join(', '))})${r.role ? ` as ${escaped(r.role)}` : ''}${r.default === false ? ', not by default' : ''}</li>`;
  };
  const about = [
    role,
    grain && `one row is ${grain}`,
    process && `of ${process}`,
    key && `key ${key.join(', ')}`,
  ];
  return [
    `<p><code>${escaped(name)}</code> · ${escaped(about.filter(Boolean).join(' · '))}${of.hidden ? ' · hidden' : ''}</p>`,
    paragraph(description),
    table(
      ['column', 'type', 'use', 'what it is'],
      columns.map((c) =>
        row(
          `<b>${escaped(c.title ?? c.name)}</b>${c.title ? `<br><code>${escaped(c.name)}</code>` : ''}${c.hidden ? ' <span class="soft">hidden</span>' : ''}`,
          escaped(c.type),
          escaped(c.use ?? ''),
          `${escaped(c.description ?? '')}${c.formula === undefined ? '' : `<br><code>${escaped(c.formula)}</code>`}`,
        ),
      ),
    ),
    ways.length > 0 ? `<ul>${ways.map(wayText).join('')}</ul>` : '',
  ].join('');
}

const hierarchiesHtml = (model: Model): string =>
  table(
    ['hierarchy', 'of', 'levels'],
    (model.hierarchies ?? []).map((h) =>
      row(
        `<b>${escaped(h.title ?? h.name)}</b>`,
        escaped(h.table),
        escaped(
          h.levels
            ? h.levels.map((l) => l.name).join(' › ')
            : `members by ${h.parent ?? ''}, as deep as they go`,
        ),
      ),
    ),
  );

function perspectiveHtml(p: Perspective): string {
  const names = (list: readonly (string | object)[] | undefined): string =>
    (list ?? []).map((one) => (typeof one === 'string' ? one : String(Object.values(one)[0]))).join(', ');
  const parts = [
    ['tables', names(p.tables)],
    ['columns', names(p.columns)],
    ['measures', names(p.measures)],
    ['hierarchies', names(p.hierarchies)],
    ['trials', names(p.trials)],
  ].filter(([, text]) => text !== '');
  return `<p><b>${escaped(p.title ?? p.name)}</b> sees ${parts.map(([what, text]) => `${what}: ${escaped(text!)}`).join('; ')}</p>`;
}

function claimsHtml(claims: readonly JudgedClaim[]): string {
  const against = claims.filter((c) => c.verdict === 'broken' || c.verdict === 'waived');
  const held = claims.filter((c) => c.verdict === 'holds').length;
  return `<p>${held} of ${claims.length} claims hold.</p>${against
    .map(
      (c) =>
        `<p class="${c.verdict === 'broken' ? 'bad' : ''}"><code>${escaped(c.id)}</code><br>${escaped(c.found ?? c.says)}${c.waiver ? `<br>waived: ${escaped(c.waiver.reason)}` : ''}</p>`,
    )
    .join('')}`;
}

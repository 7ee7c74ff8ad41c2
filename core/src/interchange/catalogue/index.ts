import type { JudgedClaim } from '../../claims/index.ts';
import type { DetailListing, Hierarchy, Model, Perspective, Table } from '../../model/index.ts';
import { sameName } from '../../model/index.ts';
import type { Profile } from '../../storage/index.ts';
import { bytesText, numberText } from '../../values/index.ts';
import type { Block, CatalogueDocument, Line, Piece, Section } from './document.ts';
import { BREAK, code, link, list, paragraph, soft, strong, table } from './document.ts';
import { catalogueHtml } from './html.ts';
import { catalogueMarkdown } from './markdown.ts';
import { starsInWords, starsPicture } from './picture.ts';

/** What is told of a model beside what it says itself. */
export interface CatalogueExtras {
  /** As they were judged; left out where nothing was. */
  readonly claims?: readonly JudgedClaim[] | undefined;
  /** What is held; left out where no rows were read. */
  readonly profile?: Profile | undefined;
  /** First rows of tables as texts, by table: where somebody has asked for them. */
  readonly samples?: ReadonlyMap<string, readonly (readonly string[])[]> | undefined;
}

/** A model as one HTML page to hand over. It has no value of the data, unless samples are given. */
export const cataloguePage = (model: Model, at: Date, extras: CatalogueExtras = {}): string =>
  catalogueHtml(catalogueOf(model, at, extras));

/** The same as Markdown. */
export const catalogueText = (model: Model, at: Date, extras: CatalogueExtras = {}): string =>
  catalogueMarkdown(catalogueOf(model, at, extras));

/**
 * A model to hand over: its stars, what each table, column and measure is, which questions it answers, what
 * each audience sees, what of its claims does not hold, and what it weighs.
 */
function catalogueOf(model: Model, at: Date, extras: CatalogueExtras): CatalogueDocument {
  const measures = model.measures ?? [];
  const asOf = model.asOf === undefined ? '' : `, periods count from ${model.asOf}`;
  return {
    title: model.title ?? model.name,
    intro: [
      ...(model.description === undefined ? [] : [paragraph(model.description)]),
      paragraph(
        `${model.tables.length} tables, ${measures.length} measures; written ${at.toISOString().slice(0, 10)}${asOf}.`,
      ),
    ],
    sections: [
      ...diagrams(model),
      { id: 'questions', title: 'Questions', blocks: questions(model) },
      { id: 'measures', title: 'Measures', blocks: measuresTable(model) },
      ...model.tables.map((t) => tableSection(model, t, extras)),
      { id: 'hierarchies', title: 'Hierarchies', blocks: hierarchies(model) },
      { id: 'perspectives', title: 'Perspectives', blocks: (model.perspectives ?? []).map(perspective) },
      { id: 'trials', title: 'Kept trials and listings', blocks: keptOnes(model) },
      { id: 'claims', title: 'Claims', blocks: claimsBlocks(extras.claims) },
      { id: 'storage', title: 'Storage', blocks: storage(extras.profile) },
    ],
  };
}

const tableId = (name: string): string => `table-${name.toLowerCase()}`;
/** What it is called, with its name where that is another, and whether it is hidden. */
const called = ({
  name,
  title,
  hidden,
}: {
  name: string;
  title?: string | undefined;
  hidden?: boolean | undefined;
}): Line => [
  strong(title ?? name),
  ...(title === undefined ? [] : [BREAK, code(name)]),
  ...(hidden ? [soft(' hidden')] : []),
];

/** A picture of more tables than this cannot be read: each fact has its own below. */
const MOST_PICTURED = 40;

const picture = (model: Model, tables: readonly Table[]): Block[] =>
  tables.length < 2
    ? []
    : [{ kind: 'picture', svg: starsPicture(model, tables), says: starsInWords(model, tables) }];

function diagrams(model: Model): Section[] {
  const shown = model.tables.filter((t) => t.role !== 'staging');
  const own = (model.diagrams ?? [])
    .filter((d) => !d.all && d.tables.length > 0)
    .map((d): Section => ({
      id: `diagram-${d.name.toLowerCase()}`,
      title: `Diagram: ${d.title ?? d.name}`,
      blocks: picture(
        model,
        model.tables.filter((t) => d.tables.some((one) => sameName(one.table, t.name))),
      ),
    }));
  const whole = shown.length <= MOST_PICTURED ? picture(model, shown) : [];
  return [{ id: 'stars', title: 'Stars', blocks: whole }, ...own];
}

/** A fact with all that it looks up, over any number of hops. */
function starOf(model: Model, fact: Table): Table[] {
  const met = new Set([fact.name.toLowerCase()]);
  for (const name of met)
    for (const r of model.relationships ?? [])
      if (r.from.table.toLowerCase() === name) met.add(r.to.table.toLowerCase());
  return model.tables.filter((t) => met.has(t.name.toLowerCase()));
}

const questions = (model: Model): Block[] =>
  model.tables.flatMap((t) =>
    list(
      (t.questions ?? []).map(({ ask, by = [], measures = [] }): Line => [
        ask,
        soft(
          ` (${[measures.join(', '), by.length > 0 ? `by ${by.join(', ')}` : ''].filter(Boolean).join(' ')}; ${t.title ?? t.name})`,
        ),
      ]),
    ),
  );

function measuresTable(model: Model): Block[] {
  const all = [...(model.measures ?? [])].sort((a, b) => (a.folder ?? '').localeCompare(b.folder ?? ''));
  // Readers are shown no formula that speaks of what is not shown to them.
  const hasFormulas = all.some((m) => m.formula !== '');
  return table(
    ['measure', ...(hasFormulas ? ['formula'] : []), 'what it is', 'folder'],
    all.map((m): Line[] => [
      called(m),
      ...(hasFormulas ? [[code(m.formula)]] : []),
      [
        m.description ?? '',
        ...(m.goal ? [BREAK, soft(`goal: ${m.goal.measure ?? String(m.goal.value)}`)] : []),
      ],
      [m.folder ?? ''],
    ]),
  );
}

function tableSection(model: Model, of: Table, { samples }: CatalogueExtras): Section {
  const { name, role, grain, process, key, columns, description, hidden } = of;
  const about = [
    role,
    grain && `one row is ${grain}`,
    process && `of ${process}`,
    key && `key ${key.join(', ')}`,
  ];
  const ways = (model.relationships ?? []).filter(
    (r) => sameName(r.from.table, name) || sameName(r.to.table, name),
  );
  const rows = samples?.get(name) ?? [];
  return {
    id: tableId(name),
    title: of.title ?? name,
    blocks: [
      paragraph(code(name), ` · ${about.filter(Boolean).join(' · ')}${hidden ? ' · hidden' : ''}`),
      ...(description === undefined ? [] : [paragraph(description)]),
      ...(role === 'fact' ? picture(model, starOf(model, of)) : []),
      ...table(
        ['column', 'type', 'use', 'what it is'],
        columns.map((c): Line[] => [
          called(c),
          [c.type],
          [c.use ?? ''],
          [c.description ?? '', ...(c.formula === undefined ? [] : [BREAK, code(c.formula)])],
        ]),
      ),
      ...list(ways.map((r) => way(r, name))),
      ...(rows.length > 0 ? [paragraph(soft('first rows'))] : []),
      ...table(
        columns.map((c) => c.name),
        rows.map((row) => row.map((value): Line => [value])),
      ),
    ],
  };
}

function way(r: NonNullable<Model['relationships']>[number], name: string): Line {
  const [here, there] = sameName(r.from.table, name) ? [r.from, r.to] : [r.to, r.from];
  const arrow = here === r.from ? '→' : '←';
  const more = `${r.role ? ` as ${r.role}` : ''}${r.default === false ? ', not by default' : ''}`;
  return [
    `${here.columns.join(', ')} ${arrow} `,
    link(there.table, tableId(there.table)),
    ` (${there.columns.join(', ')})${more}`,
  ];
}

const hierarchies = (model: Model): Block[] =>
  table(
    ['hierarchy', 'of', 'levels', 'what it is'],
    (model.hierarchies ?? []).map((h: Hierarchy): Line[] => [
      called(h),
      [link(h.table, tableId(h.table))],
      [
        h.levels
          ? h.levels.map((l) => l.name).join(' › ')
          : `members by ${h.parent ?? ''}, as deep as they go`,
      ],
      [h.description ?? ''],
    ]),
  );

function perspective(p: Perspective): Block {
  const names = (entries: readonly (string | object)[] | undefined): string =>
    (entries ?? []).map((one) => (typeof one === 'string' ? one : String(Object.values(one)[0]))).join(', ');
  const parts = [
    ['tables', names(p.tables)],
    ['columns', names(p.columns)],
    ['measures', names(p.measures)],
    ['hierarchies', names(p.hierarchies)],
    ['trials', names(p.trials)],
    ['listings', names(p.listings)],
  ].filter(([, text]) => text !== '');
  return paragraph(
    strong(p.title ?? p.name),
    ` sees ${parts.map(([what, text]) => `${what}: ${text}`).join('; ')}`,
  );
}

function keptOnes({ trials = [], detailListings = [] }: Model): Block[] {
  const shown = (columns: DetailListing['columns']) =>
    columns.map((c) => (typeof c === 'string' ? c : (c.title ?? c.column))).join(', ');
  return [
    ...list(
      trials.map((t): Line => [
        strong(t.title ?? t.name),
        soft(t.folder === undefined ? '' : ` in ${t.folder}`),
        ': ',
        code(JSON.stringify(t.query)),
      ]),
    ),
    ...list(
      detailListings.map((l): Line => [
        strong(l.title ?? l.name),
        ` lists rows of ${l.table}: ${shown(l.columns)}`,
      ]),
    ),
  ];
}

const VERDICTS = [
  ['holds', 'hold'],
  ['broken', 'are broken'],
  ['waived', 'are waived'],
  ['unchecked', 'are unchecked'],
] as const;

/** How many claims have which verdict; each that does not hold with its evidence, or its waiver's reason. */
function claimsBlocks(claims: readonly JudgedClaim[] | undefined): Block[] {
  if (!claims) return [];
  const counts = VERDICTS.map(
    ([verdict, text]) => `${numberText(claims.filter((c) => c.verdict === verdict).length)} ${text}`,
  );
  const against = claims.filter((c) => c.verdict === 'broken' || c.verdict === 'waived');
  return [
    paragraph(`${numberText(claims.length)} claims: ${counts.join(', ')}.`),
    ...against.map((c): Block => {
      const { checked, against: many } = c.evidence;
      const line: Piece[] = [
        code(c.id),
        BREAK,
        c.found ?? c.says,
        ...(checked > 1 ? [soft(` (${numberText(many)} against, of ${numberText(checked)})`)] : []),
      ];
      const waived = c.waiver
        ? [
            BREAK,
            `waived: ${c.waiver.reason}${c.waiver.author ? `, by ${c.waiver.author}` : ''}${c.waiver.until ? `, until ${c.waiver.until}` : ''}`,
          ]
        : [];
      return { kind: 'paragraph', line: [...line, ...waived], isBad: c.verdict === 'broken' };
    }),
  ];
}

const storage = (profile: Profile | undefined): Block[] =>
  profile
    ? [
        paragraph(`${bytesText(profile.totalBytes)} in all, as it is held.`),
        ...table(
          ['table', 'rows', 'bytes', 'heaviest columns'],
          profile.tables.map((t): Line[] => [
            [link(t.name, tableId(t.name))],
            [numberText(t.rows)],
            [bytesText(t.totalBytes)],
            [
              [...t.columns]
                .sort((a, b) => b.totalBytes - a.totalBytes)
                .slice(0, 3)
                .map((c) => `${c.name} ${bytesText(c.totalBytes)}`)
                .join(', '),
            ],
          ]),
        ),
      ]
    : [];

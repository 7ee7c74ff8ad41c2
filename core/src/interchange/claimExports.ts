import type { About, JudgedClaim } from '../claims/index.ts';
import { CLAIM_KINDS } from '../claims/index.ts';
import type { Model } from '../model/index.ts';
import { sameName, splitPath, fileOf } from '../model/index.ts';
import { VERSION } from '../version.ts';
import { csvLine } from './csv.ts';

/**
 * Claims as delimited text, one line each: what they say, their verdict, what was counted, the first
 * offending value, and who waived them.
 */
export function claimsCsv(claims: readonly JudgedClaim[]): string {
  const head = csvLine([
    ...['claim', 'kind', 'subject', 'verdict', 'weight', 'checked', 'against', 'distinct', 'says', 'first'],
    ...['waived for', 'waived by', 'waived until'],
  ]);
  const lines = claims.map((c) =>
    csvLine([
      c.id,
      c.kind,
      c.subject,
      c.verdict,
      c.weight,
      c.evidence.checked,
      c.evidence.against,
      c.evidence.distinct ?? null,
      c.says,
      firstOf(c),
      c.waiver?.reason ?? null,
      c.waiver?.author ?? null,
      c.waiver?.until ?? null,
    ]),
  );
  return head + lines.join('');
}

function firstOf({ evidence }: JudgedClaim): string | null {
  const first = evidence.sample?.[0];
  if (!first) return null;
  return Object.entries(first.values)
    .map(([name, value]) => `${name} ${value === null ? 'null' : String(value)}`)
    .join(', ');
}

/** Where the model that was checked lies, for those who read the results. */
export interface CheckedModel {
  readonly model: Model;
  /** Its file, as a path or a name, and the text of it. */
  readonly file: string;
  readonly text: string;
}

const LEVELS = { blocks: 'error', warns: 'warning' } as const;
const MOST_LINES = 20;

/**
 * The claims that do not hold as a log of the Static Analysis Results Interchange Format (SARIF 2.1.0, OASIS
 * standard of 27 March 2020): a rule for each kind, a result for each claim, at the line of the model file
 * that makes it; lines of data files stand as related locations. What is waived is a suppressed result with
 * its reason; what could not be judged is open.
 */
export function claimsSarif(claims: readonly JudgedClaim[], { model, file, text }: CheckedModel): string {
  const rules = CLAIM_KINDS.map((kind) => ({
    id: kind.kind,
    shortDescription: { text: kind.documentation },
    defaultConfiguration: { level: LEVELS[kind.weight] },
  }));
  const lines = text.split('\n');
  const results = claims
    .filter((c) => c.verdict !== 'holds')
    .map((c) => ({
      ruleId: c.kind,
      ruleIndex: CLAIM_KINDS.findIndex((k) => k.kind === c.kind),
      kind: c.verdict === 'unchecked' ? 'open' : 'fail',
      level: c.verdict === 'unchecked' ? 'none' : LEVELS[c.weight],
      message: { text: messageOf(c) },
      locations: [
        {
          physicalLocation: {
            artifactLocation: { uri: uriOf(file) },
            region: { startLine: lineOf(lines, c.about[0] ?? {}) },
          },
          logicalLocations: [
            { fullyQualifiedName: c.subject, kind: Object.keys(c.about[0] ?? {}).at(-1) ?? 'model' },
          ],
        },
      ],
      ...related(model, c),
      partialFingerprints: { claim: c.id },
      ...(c.verdict === 'waived' && c.waiver
        ? {
            suppressions: [
              {
                kind: 'external',
                status: 'accepted',
                justification: [
                  c.waiver.reason,
                  c.waiver.author && `by ${c.waiver.author}`,
                  c.waiver.until && `until ${c.waiver.until}`,
                ]
                  .filter(Boolean)
                  .join(', '),
              },
            ],
          }
        : {}),
      properties: { subject: c.subject, verdict: c.verdict, weight: c.weight, ...c.evidence },
    }));
  const log = {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: { driver: { name: 'Crease', version: VERSION, rules } },
        columnKind: 'unicodeCodePoints',
        results,
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

function messageOf(c: JudgedClaim): string {
  const { evidence } = c;
  if (c.verdict === 'unchecked') return `Not judged: ${c.says}. ${(evidence.notes ?? []).join('; ')}`.trim();
  const counted =
    evidence.checked > 1 && c.found === undefined
      ? ` ${evidence.against} of ${evidence.checked} violate it.`
      : '';
  const first = firstOf(c);
  const notes = (evidence.notes ?? []).length > 0 ? ` ${evidence.notes!.join('; ')}.` : '';
  return `${c.found === undefined ? `Broken: ${c.says}` : `${c.found[0]!.toUpperCase()}${c.found.slice(1)}`}.${counted}${first === null ? '' : ` First: ${first}.`}${notes}`;
}

/** A path as the reference of a URI: characters that have another meaning there are escaped. */
const uriOf = (path: string): string => path.split(/[\\/]/).map(encodeURIComponent).join('/');

/** Lines of the data file that the sample names. */
function related(model: Model, c: JudgedClaim): object {
  const table = c.about.map((a) => a.table).find((t) => t !== undefined);
  const relationship = model.relationships?.find((r) => r.name === c.about[0]?.relationship);
  const name = relationship?.from.table ?? table;
  const source = fileOf(model.tables.find((t) => name !== undefined && sameName(t.name, name)));
  const lines = (c.evidence.sample ?? []).flatMap((s) => s.lines ?? []).slice(0, MOST_LINES);
  if (lines.length === 0 || !source) return {};
  return {
    relatedLocations: lines.map((line, id) => ({
      id: id + 1,
      physicalLocation: { artifactLocation: { uri: uriOf(source.file) }, region: { startLine: line } },
    })),
  };
}

/** The line, from 1, on which the model file has the object that a claim is about; 1 where none is found. */
function lineOf(lines: readonly string[], about: About): number {
  const hierarchy =
    about.hierarchy === undefined
      ? undefined
      : (splitPath(about.hierarchy)?.[1] ?? about.hierarchy.split('.').at(-1));
  const steps: readonly (readonly [string, string])[] =
    about.relationship !== undefined
      ? [['relationships', about.relationship]]
      : hierarchy !== undefined
        ? [['hierarchies', hierarchy]]
        : about.measure !== undefined
          ? [['measures', about.measure]]
          : about.perspective !== undefined
            ? [['perspectives', about.perspective]]
            : about.table !== undefined
              ? [
                  ['tables', about.table],
                  ...(about.column !== undefined ? [['columns', about.column] as const] : []),
                ]
              : [];
  let at = 0;
  let found = 1;
  for (const [collection, name] of steps) {
    const section = lines.findIndex((line, i) => i >= at && line.includes(`"${collection}"`));
    if (section < 0) return found;
    const named = new RegExp(`"name"\\s*:\\s*${escaped(JSON.stringify(name))}`, 'i');
    const line = lines.findIndex((l, i) => i >= section && named.test(l));
    if (line < 0) return found;
    [at, found] = [line, line + 1];
  }
  return found;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

const xml = (text: string): string =>
  text
    .replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!)
    // Characters that XML 1.0 has no place for.
    .replace(/[^\t\n\r -\uD7FF\uE000-\uFFFD\u{10000}-\u{10FFFF}]/gu, '\uFFFD');

/**
 * Claims as a JUnit report, which build servers show: each claim is a test case of the suite of its kind; a
 * blocking one that is broken fails, one that warns or is waived is skipped with its reason, and one without
 * a verdict is an error.
 */
export function claimsJunit(claims: readonly JudgedClaim[], model: Model, seconds: number): string {
  const kinds = [...new Set(claims.map((c) => c.kind))];
  const outcome = (c: JudgedClaim): 'failure' | 'error' | 'skipped' | undefined => {
    if (c.verdict === 'broken') return c.weight === 'blocks' ? 'failure' : 'skipped';
    if (c.verdict === 'unchecked') return 'error';
    return c.verdict === 'waived' ? 'skipped' : undefined;
  };
  const said = (c: JudgedClaim): string =>
    c.verdict === 'waived'
      ? `waived: ${c.waiver?.reason ?? ''}`
      : (c.found ?? c.evidence.notes?.join('; ') ?? c.says);
  const count = (some: readonly JudgedClaim[], what: string) =>
    some.filter((c) => outcome(c) === what).length;
  const counts = (some: readonly JudgedClaim[]) =>
    `tests="${some.length}" failures="${count(some, 'failure')}" errors="${count(some, 'error')}" skipped="${count(some, 'skipped')}"`;
  const suites = kinds.map((kind) => {
    const own = claims.filter((c) => c.kind === kind);
    const cases = own.map((c) => {
      const how = outcome(c);
      const inner = how ? `<${how} message="${xml(said(c))}"/>` : '';
      return `    <testcase classname="${xml(kind)}" name="${xml(c.says)}">${inner}</testcase>`;
    });
    return [`  <testsuite name="${xml(kind)}" ${counts(own)}>`, ...cases, '  </testsuite>'].join('\n');
  });
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites name="${xml(model.name)}" ${counts(claims)} time="${seconds.toFixed(3)}">\n${suites.join('\n')}\n</testsuites>\n`;
}

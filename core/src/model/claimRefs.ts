import { familyMeasures } from './families.ts';
import { sameName } from './names.ts';
import type { ClaimRef, Model } from './schema.ts';

/** What the subject of a claim names, by kind: what an id as text may mean. */
type SubjectForm =
  | 'model'
  | 'table'
  | 'column'
  | 'relationship'
  | 'measure'
  | 'hierarchy'
  | 'level'
  | 'perspective'
  | 'answer'
  | 'target'
  | 'fact->table'
  | 'measure<-dimension';

const FORMS: Readonly<Record<string, readonly SubjectForm[]>> = {
  'formula-valid': ['measure', 'column'],
  'reference-type': ['relationship'],
  'path-single': ['fact->table'],
  'path-acyclic': ['relationship'],
  'measure-reach': ['measure<-dimension'],
  'measure-name': ['measure'],
  'perspective-closed': ['perspective'],
  'snapshot-measure': ['measure'],
  'missing-side': ['measure'],
  'file-read': ['table'],
  'type-holds': ['column'],
  'key-unique': ['table'],
  'key-filled': ['table'],
  'reference-complete': ['relationship'],
  'reference-filled': ['relationship'],
  cardinality: ['relationship'],
  'not-a-quantity': ['column'],
  'label-unique': ['column'],
  'level-single-parent': ['level'],
  'level-filled': ['level'],
  'tree-acyclic': ['hierarchy'],
  'tree-parent-known': ['hierarchy'],
  'tree-label-unique': ['hierarchy'],
  'calendar-continuous': ['table'],
  'calendar-covers': ['relationship'],
  'validity-disjoint': ['table'],
  'bridge-weights': ['table'],
  'partition-covers': ['table'],
  'corrections-fit': ['column'],
  'budget-kept': ['table', 'model'],
  'target-matches': ['target'],
  'known-answer': ['answer'],
};

/** Kinds of claims whose subjects are known here; a test holds them against the kinds themselves. */
export const CLAIM_REF_KINDS: readonly string[] = Object.keys(FORMS);

type Parts = Omit<ClaimRef, 'kind'>;

/** Everything of a model that a subject of one form may be, with the subject that it makes. */
function subjects(form: SubjectForm, model: Model): { readonly subject: string; readonly parts: Parts }[] {
  const named = (list: readonly { readonly name: string }[] | undefined, part: keyof Parts) =>
    (list ?? []).map(({ name }) => ({ subject: name, parts: { [part]: name } as Parts }));
  const measures = [...(model.measures ?? []), ...familyMeasures(model)];
  const hierarchies = (model.hierarchies ?? []).map((h) => ({ ...h, path: `${h.table}.${h.name}` }));
  switch (form) {
    case 'model':
      return [{ subject: 'model', parts: {} }];
    case 'table':
      return named(model.tables, 'table');
    case 'relationship':
      return named(model.relationships, 'relationship');
    case 'perspective':
      return named(model.perspectives, 'perspective');
    case 'answer':
      return named(model.knownAnswers, 'answer');
    case 'measure':
      return named(measures, 'measure');
    case 'target':
      return [];
    case 'column':
      return model.tables.flatMap((t) =>
        t.columns.map((c) => ({ subject: `${t.name}.${c.name}`, parts: { table: t.name, column: c.name } })),
      );
    case 'hierarchy':
      return hierarchies.map(({ path }) => ({ subject: path, parts: { hierarchy: path } }));
    case 'level':
      return hierarchies.flatMap(({ path, levels }) =>
        (levels ?? []).map((l) => ({
          subject: `${path}.${l.name}`,
          parts: { hierarchy: path, level: l.name },
        })),
      );
    case 'fact->table':
      return model.tables.flatMap((fact) =>
        model.tables.map((t) => ({
          subject: `${fact.name}->${t.name}`,
          parts: { fact: fact.name, table: t.name },
        })),
      );
    case 'measure<-dimension':
      return measures.flatMap((m) =>
        model.tables.map((t) => ({
          subject: `${m.name}<-${t.name}`,
          parts: { measure: m.name, dimension: t.name },
        })),
      );
  }
}

/** What an id as text names; undefined where that is nothing of the model, or cannot be told. */
export function refOfId(id: string, model: Model): ClaimRef | undefined {
  const at = id.indexOf(':');
  const [kind, subject] = [id.slice(0, at), id.slice(at + 1)];
  const found = (FORMS[kind] ?? []).flatMap((form) =>
    subjects(form, model).filter((s) => sameName(s.subject, subject)),
  );
  return found.length === 1 ? { kind, ...found[0]!.parts } : undefined;
}

/** Whether the model has everything that a reference names. */
export function hasAll(ref: ClaimRef, model: Model): boolean {
  const has = (list: readonly { readonly name: string }[] | undefined, name: string | undefined) =>
    name === undefined || (list ?? []).some((x) => sameName(x.name, name));
  const table = model.tables.find((t) => ref.table !== undefined && sameName(t.name, ref.table));
  const hierarchy = (model.hierarchies ?? []).find(
    (h) => ref.hierarchy !== undefined && sameName(`${h.table}.${h.name}`, ref.hierarchy),
  );
  return (
    (ref.table === undefined || table !== undefined) &&
    (ref.column === undefined || (table !== undefined && has(table.columns, ref.column))) &&
    has(model.relationships, ref.relationship) &&
    has(model.tables, ref.fact) &&
    has(model.tables, ref.dimension) &&
    (ref.measure === undefined || has([...(model.measures ?? []), ...familyMeasures(model)], ref.measure)) &&
    (ref.hierarchy === undefined || hierarchy !== undefined) &&
    (ref.level === undefined || (hierarchy !== undefined && has(hierarchy.levels, ref.level))) &&
    has(model.perspectives, ref.perspective) &&
    has(model.knownAnswers, ref.answer)
  );
}

/** A reference as text: equal where two name the same, without regard to case and order. */
export const refKey = (ref: ClaimRef): string =>
  JSON.stringify(
    Object.entries(ref)
      .filter(([, value]) => value !== undefined)
      .map(([part, value]) => [part, String(value).toLowerCase()])
      .sort(([a], [b]) => (a! < b! ? -1 : 1)),
  );

/** Whether two waivers name one claim, both by parts or both by id. */
export const sameClaim = (a: ClaimRef | string, b: ClaimRef | string): boolean =>
  typeof a === 'string' || typeof b === 'string' ? a === b : refKey(a) === refKey(b);

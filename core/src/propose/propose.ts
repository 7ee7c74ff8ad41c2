import { followedBy } from '../calendar/index.ts';
import type { Model } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import { ModelData } from '../query/index.ts';
import { retyped } from '../shape/index.ts';
import type { Proposal } from './proposal.ts';
import type { Decided } from './decided.ts';
import { withRoles, withUses } from './decided.ts';
import { proposeDays } from './days.ts';
import { proposeKeys } from './keys.ts';
import { proposePadded } from './padded.ts';
import type { ReferencePattern } from './references.ts';
import { proposeRelationships } from './relationships.ts';
import { proposeRoles } from './roles.ts';
import { proposeUses } from './uses.ts';
import { proposeLabels } from './labels.ts';
import { proposeCalendars } from './calendars.ts';
import { proposeHierarchies } from './hierarchies.ts';
import { proposeMeasures } from './measures.ts';

/**
 * Drafts a star from tables and their rows: types without which codes do not meet, keys and days first, then
 * relationships by containment and likeness of names, then roles, uses, labels, calendars, hierarchies and
 * base measures, each resting on those before it. What the model already says is left alone. `pattern` says
 * what tells a reference; what was `decided` goes before what is found. Proposals that are left out are among
 * the result, but nothing rests on them.
 */
export function proposeStar(data: ModelData, pattern?: ReferencePattern, decided: Decided = {}): Proposal[] {
  const all: Proposal[] = [];
  let [model, rows] = [data.model, data];
  const left = new Set(decided.left);
  for (const step of [
    proposePadded,
    proposeKeys,
    proposeDays,
    (of: Model, its: ModelData) => proposeRelationships(of, its, pattern, left),
    (of: Model, its: ModelData) => withRoles(proposeRoles(of, its), of, decided.roles),
    (of: Model, its: ModelData) => withUses(proposeUses(of, its), of, decided.uses),
    proposeLabels,
    proposeCalendars,
    proposeHierarchies,
    proposeMeasures,
  ]) {
    const found = step(model, rows).filter((p) => mayChange(model, p));
    const taken = found.filter((p) => !left.has(p.id));
    for (const proposal of taken) model = applyEdit(model, proposal.edit);
    if (taken.some(({ kind }) => kind === 'type' || kind === 'column')) rows = withColumns(data, model);
    all.push(...found);
  }
  return all;
}

/**
 * A calendar that follows another model's is not changed here; what leads to it, or from it, is the model's
 * own.
 */
const mayChange = (model: Model, { kind, table }: Proposal): boolean =>
  kind === 'relationship' || kind === 'measure' || followedBy(model, table) === undefined;

/** The same rows with the types and the derived columns that a model declares. */
const withColumns = (data: ModelData, model: Model): ModelData =>
  new ModelData(
    model,
    (name) => retyped(data.table(name), model.tables.find((t) => t.name === name)?.columns ?? []),
    data.today,
  );

/** The model with all proposals applied. */
export const acceptAll = (model: Model, proposals: readonly Proposal[]): Model =>
  proposals.reduce((m, p) => applyEdit(m, p.edit), model);

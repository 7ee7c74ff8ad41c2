import type { Model } from '../model/index.ts';
import { applyEdit } from '../edit/index.ts';
import type { ModelData } from '../query/index.ts';
import type { Proposal } from './proposal.ts';
import { proposeKeys } from './keys.ts';
import type { ReferencePattern } from './relationships.ts';
import { proposeRelationships } from './relationships.ts';
import { proposeRoles } from './roles.ts';
import { proposeUses } from './uses.ts';
import { proposeLabels } from './labels.ts';
import { proposeCalendars } from './calendars.ts';
import { proposeMeasures } from './measures.ts';

/**
 * Drafts a star from tables and their rows: keys first, then relationships by containment and likeness of names, then roles,
 * uses, labels, calendars and base measures, each resting on those before it. What the model already says is left alone. `pattern` says what tells a reference.
 */
export function proposeStar(data: ModelData, pattern?: ReferencePattern): Proposal[] {
  const all: Proposal[] = [];
  let { model } = data;
  const references = (model: Model, of: ModelData) => proposeRelationships(model, of, pattern);
  for (const step of [proposeKeys, references, proposeRoles, proposeUses, proposeLabels, proposeCalendars, proposeMeasures]) {
    const found = step(model, data);
    for (const proposal of found) model = applyEdit(model, proposal.edit);
    all.push(...found);
  }
  return all;
}

/** The model with all proposals applied. */
export const acceptAll = (model: Model, proposals: readonly Proposal[]): Model => proposals.reduce((m, p) => applyEdit(m, p.edit), model);

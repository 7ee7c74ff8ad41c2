import type { Model, Relationship } from '../model/index.ts';
import { isDefault, sameName } from '../model/index.ts';

/** A relationship from one fact to another, as from the lines of an order to its head. */
export interface FactToFact {
  readonly relationship: Relationship;
  /** Dimensions that the fact which is referred to has by default, and the other one has only through it. */
  readonly through: readonly string[];
}

/** The relationships of a model that lead from fact to fact. */
export function factToFact(model: Model): FactToFact[] {
  const roleOf = (name: string) => model.tables.find((t) => sameName(t.name, name))?.role;
  const targets = (fact: string) =>
    (model.relationships ?? [])
      .filter((r) => isDefault(r) && sameName(r.from.table, fact) && roleOf(r.to.table) === 'dimension')
      .map((r) => r.to.table);
  return (model.relationships ?? [])
    .filter((r) => roleOf(r.from.table) === 'fact' && roleOf(r.to.table) === 'fact')
    .map((relationship) => {
      const own = targets(relationship.from.table);
      const through = targets(relationship.to.table).filter((name) => !own.some((o) => sameName(o, name)));
      return { relationship, through: [...new Set(through)] };
    });
}

/** What a relationship from fact to fact means for questions, and what to do where that is not enough. */
export function factToFactText({ relationship, through }: FactToFact): string {
  const [from, to] = [relationship.from.table, relationship.to.table];
  return [
    `${from} and ${to} are both facts.`,
    `Quantities of ${from} can be asked by what ${to} refers to${through.length > 0 ? ` (${through.join(', ')})` : ''}; those of ${to} not by what only ${from} refers to, for a row of ${to} would count once for each row of ${from}.`,
    through.length > 0
      ? `Where ${from} is often asked by ${through.length === 1 ? through[0] : 'them'}, look up the references into ${from}, so that it is a star of its own.`
      : `Leave the relationship out where nobody asks by columns of ${to} itself.`,
  ].join(' ');
}

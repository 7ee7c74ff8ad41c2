import { parseType, TEXT } from '../values/index.ts';
import type { Model, ModelColumn } from '../model/index.ts';
import { sameName } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { codeReason } from '../claims/index.ts';
import { aggregateByName, isTimePart } from './names.ts';
import type { Proposal } from './proposal.ts';

/** The use of each column: reference, key, quantity (with how it is aggregated) or attribute. */
export function proposeUses(model: Model, data: ModelData): Proposal[] {
  const relationships = model.relationships ?? [];
  return model.tables.flatMap((t) =>
    t.columns.flatMap((c): Proposal[] => {
      const column = data.column(t.name, c.name);
      const type = parseType(c.type) ?? TEXT;
      const refers = relationships.some((r) => sameName(r.from.table, t.name) && r.from.columns.some((n) => sameName(n, c.name)));
      const code = codeReason(c.name, type.kind === 'integer', column);
      const [use, reason]: [NonNullable<ModelColumn['use']>, string] = refers
        ? ['reference', 'a relationship starts from it']
        : (t.key ?? []).some((k) => sameName(k, c.name))
          ? ['key', 'it is part of the key']
          : ['integer', 'decimal', 'double'].includes(type.kind) &&
              !code &&
              !isTimePart(c.name) &&
              (t.role === 'fact' || t.role === 'bridge' || type.kind !== 'integer')
            ? ['quantity', type.kind === 'integer' ? "whole numbers that repeat and have no code's name" : 'numbers with decimals']
            : ['attribute', code && type.kind === 'integer' ? code : type.kind === 'text' ? 'text' : `${type.kind} that describes the row`];
      if (c.use === use) return [];
      const aggregate = use === 'quantity' ? aggregateByName(c.name) : undefined;
      return [
        {
          id: `use:${t.name}.${c.name}`,
          kind: 'use',
          table: t.name,
          says: `${t.name}.${c.name} is used as ${use === 'attribute' ? 'an attribute' : `a ${use}`}${aggregate ? `, by default ${aggregate === 'avg' ? 'averaged' : 'added up'}` : ''}`,
          evidence: [reason],
          edit: [{ do: 'set-column', table: t.name, column: c.name, change: { use, ...(aggregate ? { aggregate } : {}) } }],
        },
      ];
    }),
  );
}

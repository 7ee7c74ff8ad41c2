import { asText } from '../../edit/index.ts';
import type { ModelColumn, Table } from '../../model/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import type { Remedy } from '../claim.ts';

/** A derived label that has the key behind it, so that members of one name can be told apart. */
function labelWithKey(table: Table, label: string, key: readonly string[]): ModelColumn | undefined {
  const found = [label, ...key].map((name) => table.columns.find((c) => sameName(c.name, name)));
  if (found.some((c) => c === undefined) || key.length === 0) return undefined;
  const [shown, ...keys] = found as ModelColumn[];
  return {
    name: freeName(`${shown!.name}_and_key`, table.columns),
    type: 'text',
    use: 'attribute',
    formula: `${asText(shown!)} || ' (' || ${keys.map(asText).join(" || ', ' || ")} || ')'`,
  };
}

/** Another label, made of the one that stands for several members and their key. */
export function labelRemedies(table: Table, label: string, use: (label: string) => Remedy['edit']): Remedy[] {
  const made = labelWithKey(table, label, table.validity?.of ?? table.key ?? []);
  return made
    ? [
        {
          id: 'label-with-key',
          title: `Show ${label} with the key behind it`,
          effect: `A derived column ${made.name} = ${made.formula} is the label.`,
          edit: [{ do: 'put-column', table: table.name, value: made }, ...use(made.name)],
        },
      ]
    : [];
}

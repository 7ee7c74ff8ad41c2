import type { Model, Table } from '../model/index.ts';
import type { ModelData } from '../query/index.ts';
import { wordsOf } from './names.ts';
import type { Proposal } from './proposal.ts';
import { counted, numberText } from '../values/index.ts';

/** The column that most likely names a member to a person. */
export function labelOf(t: Table, data: ModelData): string | undefined {
  const texts = t.columns.filter(
    (c) => c.type === 'text' && !(t.key ?? []).includes(c.name) && data.column(t.name, c.name).nulls === 0,
  );
  return (
    texts.find((c) => ['name', 'title', 'label', 'description'].includes(wordsOf(c.name).at(-1) ?? '')) ??
    texts[0]
  )?.name;
}

/** So many rows on average may have one label: versions of a member do, the days of a month are too many. */
const SHARED = 4;

/** The label of each dimension whose column is named like one. */
export function proposeLabels(model: Model, data: ModelData): Proposal[] {
  return model.tables
    .filter((t) => t.role === 'dimension' && t.label === undefined)
    .flatMap((t): Proposal[] => {
      const label = labelOf(t, data);
      if (label === undefined || !/name|title|label/i.test(label)) return [];
      const column = data.column(t.name, label);
      if (column.distinct * SHARED < column.rowCount) return [];
      return [
        {
          id: `label:${t.name}`,
          kind: 'label',
          table: t.name,
          says: `${label} identifies a member of ${t.name}`,
          evidence: [
            `${numberText(column.distinct)} distinct among ${counted(column.rowCount, 'row')}`,
            'its name is that of a label',
          ],
          edit: [{ do: 'set-table', table: t.name, change: { label } }],
        },
      ];
    });
}

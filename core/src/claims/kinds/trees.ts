import type { Hierarchy } from '../../model/index.ts';
import { freeName } from '../../model/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { ModelData } from '../../query/index.ts';
import { endlessRows, parentRows } from '../../query/index.ts';
import { parentsAsMembers } from '../../shape/index.ts';
import { labelRemedies } from '../remedies/labels.ts';
import type { ClaimContext, ClaimKind, Judgement, Remedy } from '../claim.ts';
import { claimOf, judged } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { offendingRows } from '../offenders.ts';
import { ofTable } from './common.ts';

const parentChild = ({ model, checker }: ClaimContext): Hierarchy[] =>
  (model.hierarchies ?? []).filter(
    (h) =>
      h.parent !== undefined &&
      checker.names.column(h.table, h.parent) &&
      (h.key !== undefined || checker.names.table(h.table)?.key?.length),
  );

const claimsOf = (
  kind: ClaimKind,
  context: ClaimContext,
  says: (h: Hierarchy) => string,
  judge: (h: Hierarchy) => ReturnType<typeof claimOf>['judge'],
  remedies?: (h: Hierarchy, data: ModelData | undefined) => readonly Remedy[],
) =>
  parentChild(context).map((h) =>
    claimOf(kind, `${h.table}.${h.name}`, says(h), {
      about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
      tables: [h.table],
      columns: ofTable(h.table, [
        h.parent!,
        ...(h.key === undefined ? (context.checker.names.table(h.table)!.key ?? []) : [h.key]),
        ...(h.label === undefined ? [] : [h.label]),
      ]),
      parts: h,
      judge: judge(h),
      ...(remedies ? { remedies: (_: Judgement, data?: ModelData) => remedies(h, data) } : {}),
    }),
  );

export const treeAcyclic: ClaimKind = {
  kind: 'tree-acyclic',
  weight: 'blocks',
  documentation: 'Following parents comes back to the start; a member that is its own parent is a loop.',
  list: (context) =>
    claimsOf(
      treeAcyclic,
      context,
      (h) => `following ${h.parent} in ${h.table} always ends at a top`,
      (h) => (data) => {
        const table = data.table(h.table);
        const { parents, key, parent } = parentRows(data, h);
        const endless = endlessRows(parents);
        return judged(offendingRows(table, table.rowCount, [key, parent], (row) => endless[row] === 1));
      },
      (h, data) => ownParentsRemedies(context, h, data),
    ),
};

export const treeParentKnown: ClaimKind = {
  kind: 'tree-parent-known',
  weight: 'blocks',
  documentation: 'A parent key is no member.',
  list: (context) =>
    claimsOf(
      treeParentKnown,
      context,
      (h) => `every ${h.parent} is a member of ${h.table}`,
      (h) => (data) => {
        const table = data.table(h.table);
        const { parents, parent } = parentRows(data, h);
        return judged(
          offendingRows(
            table,
            table.rowCount - parent.nulls,
            [parent],
            (row) => parent.codes[row] !== 0 && parents[row] === 0,
          ),
        );
      },
      (h) => {
        const edit = parentsAsMembers(context.model, h);
        if (!edit) return [];
        const effect = `${h.table} is derived from its rows as they come and one row more for each parent without one; that has its key as label and no parent.`;
        return [{ id: 'add-parents-as-members', title: 'Add the unknown parents as members', effect, edit }];
      },
    ),
};

export const treeLabelUnique: ClaimKind = {
  kind: 'tree-label-unique',
  weight: 'warns',
  documentation: 'One label stands for several members.',
  list: (context) =>
    claimsOf(
      treeLabelUnique,
      {
        ...context,
        model: {
          ...context.model,
          hierarchies: parentChild(context).filter(
            (h) => h.label !== undefined && context.checker.names.column(h.table, h.label),
          ),
        },
      },
      (h) => `each ${h.label} stands for one member of ${h.table}`,
      (h) => (data) => {
        const table = data.table(h.table);
        const { key } = parentRows(data, h);
        const label = data.column(h.table, h.label!);
        const pairs = combinations([label, key], table.rowCount);
        const members = new Map<number, Set<number>>();
        label.codes.forEach((code, row) =>
          members.set(code, (members.get(code) ?? new Set()).add(pairs.numbers[row]!)),
        );
        return judged(
          offendingRows(
            table,
            table.rowCount,
            [label],
            (row) => label.codes[row] !== 0 && members.get(label.codes[row]!)!.size > 1,
          ),
        );
      },
      (h) => {
        const table = context.checker.names.table(h.table)!;
        const put = (label: string): Remedy['edit'] => [
          { do: 'put-hierarchies', name: h.name, value: { ...h, label } },
        ];
        return labelRemedies(table, h.label!, put);
      },
    ),
};

/** Members that are their own parent are tops in many a source: a derived parent column that is null for them, where that ends all loops. */
function ownParentsRemedies({ checker }: ClaimContext, h: Hierarchy, data: ModelData | undefined): Remedy[] {
  const table = checker.names.table(h.table)!;
  const keyName = h.key ?? (table.key?.length === 1 ? table.key[0] : undefined);
  const [key, parent] = [keyName, h.parent].map((name) =>
    name === undefined ? undefined : checker.names.column(table, name),
  );
  if (!data || !key || !parent) return [];
  const { parents } = parentRows(data, h);
  const others = parents.some((up, row) => {
    let at = up === row + 1 ? 0 : up;
    for (let n = 0; at !== 0 && n <= parents.length; n++) at = parents[at - 1] === at ? 0 : parents[at - 1]!;
    return at !== 0;
  });
  if (others) return [];
  const name = freeName(`${parent.name}_but_self`, table.columns);
  const formula = `nullif(${quoteName(parent.name)}, ${quoteName(key.name)})`;
  return [
    {
      id: 'own-parents-are-tops',
      title: 'Take members that are their own parent as tops',
      effect: `A derived column ${name} = ${formula} is the parent.`,
      edit: [
        {
          do: 'put-column',
          table: table.name,
          value: { name, type: parent.type, use: 'attribute', formula, hidden: true },
        },
        { do: 'put-hierarchies', name: h.name, value: { ...h, parent: name } },
      ],
    },
  ];
}

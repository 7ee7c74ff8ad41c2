import type { Hierarchy } from '../../model/index.ts';
import { freeName, sameName } from '../../model/index.ts';
import { quoteName } from '../../formula/index.ts';
import type { ModelData } from '../../query/index.ts';
import { parentRows, treeKey } from '../../query/index.ts';
import { parentsAsMembers } from '../../edit/index.ts';
import { labelRemedies } from '../remedies/labels.ts';
import type { ClaimContext, ClaimKind, Evidence, Judgement, Remedy } from '../claim.ts';
import { claimOf, judged, restsOn } from '../claim.ts';
import { ofTable } from './common.ts';
import { counted, rowsText, verb } from './words.ts';
import type { Asked, Judging } from '../judging.ts';
import { askCount } from '../judging.ts';

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
  judging: (h: Hierarchy, key: string) => () => Judging,
  found: (h: Hierarchy, evidence: Evidence) => string,
  remedies?: (h: Hierarchy, data: ModelData | undefined) => readonly Remedy[],
) =>
  parentChild(context).map((h) => {
    const key = treeKey(context, h);
    return claimOf(kind, `${h.table}.${h.name}`, says(h), {
      ref: { hierarchy: `${h.table}.${h.name}` },
      about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
      tables: [h.table],
      columns: ofTable(h.table, [
        h.parent!,
        ...(h.key === undefined ? (context.checker.names.table(h.table)!.key ?? []) : [h.key]),
        ...(h.label === undefined ? [] : [h.label]),
      ]),
      parts: h,
      judging: judging(h, key),
      found: (evidence) => found(h, evidence),
      ...(remedies ? { remedies: (_: Judgement, data?: ModelData) => remedies(h, data) } : {}),
    });
  });

export const treeAcyclic: ClaimKind = {
  kind: 'tree-acyclic',
  weight: 'blocks',
  subject: 'table.hierarchy',
  example:
    '`tree-acyclic:staff.Line of report`: following `manager_id` in `staff` always ends at a top; two people who report to each other break it.',
  documentation: 'Following parents comes back to the start; a member that is its own parent is a loop.',
  list: (context) =>
    claimsOf(
      treeAcyclic,
      context,
      (h) => `following ${h.parent} in ${h.table} always ends at a top`,
      (h, key) =>
        function* () {
          const { table, parent } = { table: h.table, parent: h.parent! };
          const found = yield* askCount({ count: 'loops', table, key, parent });
          const doubtful = yield* keyClaimIfRepeated(context, h, key);
          if (doubtful === undefined) return judged(found);
          // A key that stands twice leads to one of several rows. What goes round without such a member, or
          // is its own parent, goes round all the same.
          return found.against > 0 ? { ...judged(found), certain: true } : restsOn(doubtful);
        },
      (h, e) => `${rowsText(e)} of ${h.table} ${verb(e, 'is', 'are')} on a loop of ${h.parent}, or below one`,
      (h, data) => ownParentsRemedies(context, h, data),
    ),
};

export const treeParentKnown: ClaimKind = {
  kind: 'tree-parent-known',
  weight: 'blocks',
  subject: 'table.hierarchy',
  documentation: 'A parent key is no member.',
  example:
    '`tree-parent-known:staff.Line of report`: every `manager_id` is a member of `staff`; a manager 900 who is not listed breaks it.',
  list: (context) =>
    claimsOf(
      treeParentKnown,
      context,
      (h) => `every ${h.parent} is a member of ${h.table}`,
      (h, key) =>
        function* () {
          const of = { table: h.table, columns: [key] };
          return judged(yield* askCount({ count: 'orphans', table: h.table, columns: [h.parent!], of }));
        },
      (h, e) => `${rowsText(e)} of ${h.table} ${verb(e, 'has', 'have')} a ${h.parent} that is no member`,
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
  subject: 'table.hierarchy',
  documentation: 'One label belongs to several members.',
  example:
    '`tree-label-unique:staff.Line of report`: each `full_name` identifies one member of `staff`; two people of one name break it.',
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
      (h) => `each ${h.label} identifies one member of ${h.table}`,
      (h, key) =>
        function* () {
          const label = { table: h.table, column: h.label! };
          const found = judged(
            yield* askCount({
              count: 'differing',
              table: h.table,
              group: [label],
              parts: ofTable(h.table, [key]),
              nullParts: 'values',
              shown: { name: context.checker.names.column(h.table, h.label!)!.name, column: label },
            }),
          );
          if (found.verdict !== 'holds') return found;
          const doubtful = yield* keyClaimIfRepeated(context, h, key);
          return doubtful === undefined ? found : restsOn(doubtful);
        },
      (h, e) =>
        `${counted(e.distinct ?? 0, 'value')} of ${h.label} ${e.distinct === 1 ? 'belongs' : 'belong'} to several members: ${rowsText(e)} of ${h.table}`,
      (h) => {
        const table = context.checker.names.table(h.table)!;
        const put = (label: string): Remedy['edit'] => [
          { do: 'put-hierarchies', name: h.name, value: { ...h, label } },
        ];
        return labelRemedies(table, h.label!, put);
      },
    ),
};

/**
 * The claim that the members' key breaks because it stands on several rows; undefined where it stands once.
 */
function* keyClaimIfRepeated(
  { checker }: ClaimContext,
  h: Hierarchy,
  key: string,
): Generator<Asked, string | undefined, unknown> {
  const { against } = yield* askCount({ count: 'repeated', table: h.table, columns: [key] });
  if (against === 0) return undefined;
  const table = checker.names.table(h.table)!;
  // A key of the hierarchy's own has no claim but that members of one key have one label.
  return h.key === undefined || (table.key?.length === 1 && sameName(table.key[0]!, h.key))
    ? `key-unique:${table.name}`
    : `tree-label-unique:${h.table}.${h.name}`;
}

/**
 * Members that are their own parent are tops in many a source: a derived parent column that is null for them,
 * where that ends all loops.
 */
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

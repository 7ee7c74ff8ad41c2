import type { Hierarchy } from '../../model/index.ts';
import type { ModelData } from '../../query/index.ts';
import { toJson } from '../../values/index.ts';
import { columnValues } from '../../columns/index.ts';
import type { ClaimKind, Judgement, Remedy, SampleRow } from '../claim.ts';
import { claimOf, SAMPLE_SIZE } from '../claim.ts';
import { combinations } from '../../columns/index.ts';
import { hasNull } from '../offenders.ts';
import { levelReads } from './common.ts';
import { levelColumns } from './levels.ts';

export const levelSingleParent: ClaimKind = {
  kind: 'level-single-parent',
  weight: 'blocks',
  documentation:
    'A member of the level belongs to more than one member of the next level up (null parents apart).',
  list: ({ model, checker }) =>
    (model.hierarchies ?? [])
      .filter((h) => checker.names.table(h.table))
      .flatMap((h) =>
        (h.levels ?? []).slice(1).map((level, i) => {
          const parent = h.levels![i]!;
          return claimOf(
            levelSingleParent,
            `${h.table}.${h.name}.${level.name}`,
            `each ${level.name} lies in one ${parent.name}`,
            {
              about: [{ hierarchy: `${h.table}.${h.name}`, table: h.table }],
              ...levelReads(checker, h, [level, parent]),
              judge: (data) => judgeParents(data, h, i + 1),
              remedies: () => remedies(h, i + 1),
            },
          );
        }),
      ),
};

function judgeParents(data: ModelData, hierarchy: Hierarchy, at: number): Judgement {
  const table = data.table(hierarchy.table);
  const [own, above] = [
    levelColumns(data, hierarchy, hierarchy.levels![at]!),
    levelColumns(data, hierarchy, hierarchy.levels![at - 1]!),
  ];
  const members = combinations(own.identity, table.rowCount);
  const parents = combinations(above.identity, table.rowCount);
  const parentOf = new Int32Array(members.size).fill(-1);
  const torn = new Uint8Array(members.size);
  for (let row = 0; row < table.rowCount; row++) {
    if (hasNull(own.identity, row) || hasNull(above.identity, row)) continue;
    const member = members.numbers[row]!;
    if (parentOf[member]! < 0) parentOf[member] = parents.numbers[row]!;
    else if (parentOf[member] !== parents.numbers[row]) torn[member] = 1;
  }
  let against = 0;
  const found = new Map<number, { row: number; rows: number; parents: Set<string> }>();
  for (let row = 0; row < table.rowCount; row++) {
    const member = members.numbers[row]!;
    if (!torn[member] || hasNull(own.identity, row)) continue;
    against++;
    let entry = found.get(member);
    if (!entry) found.set(member, (entry = { row, rows: 0, parents: new Set() }));
    entry.rows++;
    if (!hasNull(above.identity, row))
      entry.parents.add(
        String(toJson(columnValues(above.shown)[above.shown.codes[row]!]!, above.shown.type)),
      );
  }
  const sample = [...found.values()]
    .slice(0, SAMPLE_SIZE)
    .map(({ row, rows, parents: names }): SampleRow => ({
      [hierarchy.levels![at]!.name]: toJson(columnValues(own.shown)[own.shown.codes[row]!]!, own.shown.type),
      [`${hierarchy.levels![at - 1]!.name}, each`]: [...names].join(' · '),
      rows,
      ...(table.lineOf ? { line: table.lineOf(row) } : {}),
    }));
  return {
    verdict: against > 0 ? 'broken' : 'holds',
    evidence: {
      checked: table.rowCount,
      against,
      distinct: found.size,
      ...(sample.length ? { sample } : {}),
    },
  };
}

function remedies(h: Hierarchy, at: number): Remedy[] {
  const [level, parent] = [h.levels![at]!, h.levels![at - 1]!];
  const put = (levels: Hierarchy['levels']): Remedy['edit'] => [
    { do: 'put-hierarchies', name: h.name, value: { ...h, levels } },
  ];
  const key = [parent.key ?? parent.column, level.key ?? level.column].flat();
  return [
    {
      id: 'composite-key',
      title: `Tell ${level.name} apart within ${parent.name}`,
      effect: `The key of ${level.name} becomes ${key.join(', ')}: two of one name in different ${parent.name} are two members.`,
      edit: put(h.levels!.map((l, i) => (i === at ? { ...l, key } : l))),
    },
    {
      id: 'drop-level',
      title: `Drop the level ${parent.name}`,
      effect: `${h.name} goes on without ${parent.name}.`,
      edit: put(h.levels!.filter((_, i) => i !== at - 1)),
    },
    {
      id: 'swap-levels',
      title: `Put ${level.name} above ${parent.name}`,
      effect: 'The two levels change places.',
      edit: put(h.levels!.map((l, i) => (i === at ? parent : i === at - 1 ? level : l))),
    },
  ];
}

import type { MembersSource } from '../model/index.ts';
import { columnOfValues, tableOf } from '../columns/index.ts';
import { fromJson, parseType, TEXT } from '../values/index.ts';
import type { Value } from '../values/index.ts';
import type { SourceKind } from './kind.ts';

/** Members typed by hand. */
export const members: SourceKind<MembersSource> = {
  field: 'members',
  place: () => 'typed by hand',
  rows: (table, source) => {
    const columns = table.columns
      .filter((column) => column.formula === undefined)
      .map((column) => {
        const type = parseType(column.type) ?? TEXT;
        return columnOfValues(
          column.name,
          type,
          source.members.map((member): Value => fromJson(member[column.name] ?? null, type) ?? null),
        );
      });
    return tableOf(table.name, columns, { rowCount: source.members.length });
  },
  renameColumn: (source, column) => ({
    members: source.members.map((member) =>
      Object.fromEntries(Object.entries(member).map(([name, value]) => [column(name), value])),
    ),
  }),
  takesSteps: true,
};

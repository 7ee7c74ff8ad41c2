import type { Hierarchy } from '@crease/core/model';
import { browseMembers } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

type Key = null | boolean | number | string;

/** Members of a hierarchy below one of its members; `path` is of keys from the top. */
export const members = task((input: { hierarchy: string | Hierarchy; path: readonly Key[] } & ModelVersion) =>
  onRows(input, (data) => browseMembers(data, input.hierarchy, input.path)),
);

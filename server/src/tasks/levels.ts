import type { Hierarchy } from '@crease/core/model';
import { levelFacts } from '@crease/core/query';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import { onRows } from '../grouped/groupedRows.ts';

/** What the rows tell of the levels of a hierarchy. */
export const levels = task((input: { hierarchy: string | Hierarchy } & ModelVersion) =>
  onRows(input, (data) => levelFacts(data, input.hierarchy)),
);

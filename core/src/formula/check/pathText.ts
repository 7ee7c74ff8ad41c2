import type { Path } from '../../relate/index.ts';

/** A path as messages name it. */
export const pathText = (path: Path): string => path.map((r) => r.name).join(', ') || 'itself';

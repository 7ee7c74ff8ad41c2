import {
  BoxSelect,
  CalendarRange,
  FileInput,
  Layers3,
  ListTree,
  Ruler,
  Send,
  Users,
  Workflow,
} from 'lucide-react';
import type { LucideIcon } from 'lucide-react';
import type { SelectionKind } from '../state/selection.ts';

export interface Stage {
  readonly path: string;
  readonly name: string;
  readonly icon: LucideIcon;
  /** Claim kinds that are fixed here. */
  readonly kinds: readonly string[];
  /** What can be selected here: anything else is cleared on the way here. */
  readonly shows: readonly SelectionKind[];
}

/** The nine stages, in the order of work. */
export const STAGES: readonly Stage[] = [
  {
    path: 'intake',
    name: 'Intake',
    icon: FileInput,
    kinds: ['type-holds', 'file-read'],
    shows: ['table', 'column'],
  },
  {
    path: 'shape',
    name: 'Shape',
    icon: BoxSelect,
    kinds: [
      'key-unique',
      'key-filled',
      'not-a-quantity',
      'label-unique',
      'validity-disjoint',
      'partition-covers',
    ],
    shows: ['table', 'column'],
  },
  {
    path: 'stars',
    name: 'Stars',
    icon: Workflow,
    kinds: [
      'reference-complete',
      'reference-filled',
      'reference-type',
      'cardinality',
      'path-single',
      'path-acyclic',
      'bridge-weights',
      'calendar-covers',
    ],
    shows: ['table', 'column', 'relationship'],
  },
  {
    path: 'hierarchies',
    name: 'Hierarchies',
    icon: ListTree,
    kinds: [
      'level-single-parent',
      'level-filled',
      'tree-acyclic',
      'tree-parent-known',
      'tree-label-unique',
      'calendar-continuous',
    ],
    shows: ['hierarchy', 'table', 'column'],
  },
  {
    path: 'measures',
    name: 'Measures',
    icon: Ruler,
    kinds: ['formula-valid', 'measure-name', 'snapshot-measure', 'missing-side'],
    shows: ['measure'],
  },
  {
    path: 'perspectives',
    name: 'Perspectives',
    icon: Users,
    kinds: ['perspective-closed', 'measure-reach'],
    shows: ['perspective', 'hierarchy', 'measure'],
  },
  { path: 'storage', name: 'Storage', icon: Layers3, kinds: [], shows: ['table', 'column'] },
  { path: 'trial', name: 'Trial', icon: CalendarRange, kinds: ['known-answer'], shows: ['measure'] },
  { path: 'release', name: 'Release', icon: Send, kinds: [], shows: ['claim'] },
];

export const stageOfKind = (kind: string): string =>
  STAGES.find((s) => s.kinds.includes(kind))?.path ?? 'claims';

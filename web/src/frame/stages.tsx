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

export interface Stage {
  readonly path: string;
  readonly name: string;
  readonly icon: LucideIcon;
  /** Claim kinds that are mended here. */
  readonly kinds: readonly string[];
}

/** The nine stages, in the order of work. */
export const STAGES: readonly Stage[] = [
  { path: 'intake', name: 'Intake', icon: FileInput, kinds: ['type-holds', 'file-read'] },
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
  },
  {
    path: 'measures',
    name: 'Measures',
    icon: Ruler,
    kinds: ['formula-valid', 'measure-name', 'snapshot-measure', 'missing-side'],
  },
  { path: 'perspectives', name: 'Perspectives', icon: Users, kinds: ['perspective-closed', 'measure-reach'] },
  { path: 'storage', name: 'Storage', icon: Layers3, kinds: [] },
  { path: 'trial', name: 'Trial', icon: CalendarRange, kinds: ['known-answer'] },
  { path: 'release', name: 'Release', icon: Send, kinds: [] },
];

export const stageOfKind = (kind: string): string =>
  STAGES.find((s) => s.kinds.includes(kind))?.path ?? 'claims';

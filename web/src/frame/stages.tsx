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
  /** What it is for, in two sentences. */
  readonly about: string;
  /** The page of the documentation that tells more. */
  readonly page: string;
  /** Claim kinds that are fixed here. */
  readonly kinds: readonly string[];
  /** What can be selected here: anything else is cleared on the way here. */
  readonly shows: readonly SelectionKind[];
}

/** The nine stages, in the order of work. */
export const STAGES: readonly Stage[] = [
  {
    path: 'intake',
    about:
      'Files and tables of databases come in here. Everything that is guessed of them is shown before it is stored.',
    page: 'intake',
    name: 'Intake',
    icon: FileInput,
    kinds: ['type-holds', 'file-read', 'corrections-fit'],
    shows: ['table', 'column'],
  },
  {
    path: 'shape',
    about:
      'What each table and column is for: keys, types, uses, derived tables and columns. A model can be designed here before there are rows.',
    page: 'shaping',
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
    about:
      'How facts meet dimensions: relationships, the ways that filters take, and whether the rows agree. Briefs hold what the model must answer.',
    page: 'stars',
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
    about:
      'Levels and trees by which members are summed, and calendars. Members that have two parents or none are found here.',
    page: 'hierarchies',
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
    about:
      'Formulas over the rows that a question leaves. Each is checked as it is written, and its value is shown beside it.',
    page: 'measures',
    name: 'Measures',
    icon: Ruler,
    kinds: ['formula-valid', 'measure-name', 'snapshot-measure', 'missing-side'],
    shows: ['measure', 'column', 'table'],
  },
  {
    path: 'perspectives',
    about:
      'What each audience is shown of the model. A measure beside a dimension that does not reach it is found here.',
    page: 'perspectives',
    name: 'Perspectives',
    icon: Users,
    kinds: ['perspective-closed', 'measure-reach'],
    shows: ['perspective', 'hierarchy', 'measure'],
  },
  {
    path: 'storage',
    about:
      'What a row of each table weighs beside what its values need. All sizes are measured, and so is what would save some.',
    page: 'storage',
    name: 'Storage',
    icon: Layers3,
    kinds: ['budget-kept'],
    shows: ['table', 'column'],
  },
  {
    path: 'trial',
    about:
      'Questions to the model before anybody relies on it. Each number can be asked why it is what it is.',
    page: 'trial',
    name: 'Trial',
    icon: CalendarRange,
    kinds: ['known-answer'],
    shows: ['measure', 'column', 'table'],
  },
  {
    path: 'release',
    about: 'What stands against a release, the definitions that leave, and the history of the model.',
    page: 'claims',
    name: 'Release',
    icon: Send,
    kinds: [],
    shows: ['claim'],
  },
];

export const stageOfKind = (kind: string): string =>
  STAGES.find((s) => s.kinds.includes(kind))?.path ?? 'claims';

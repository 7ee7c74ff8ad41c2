import type { Word } from './definition.ts';
import { at } from './at.ts';
import { filter } from './filter.ts';
import { from } from './from.ts';
import { given } from './given.ts';
import { ignoring } from './ignoring.ts';
import { last } from './last.ts';
import { next } from './next.ts';
import { over } from './over.ts';
import { per } from './per.ts';
import { previous } from './previous.ts';
import { same } from './same.ts';
import { toDate } from './toDate.ts';
import { via } from './via.ts';
import { where } from './where.ts';
import { whole } from './whole.ts';
import { withSelect } from './withSelect.ts';

export type { Word } from './definition.ts';

/** The words around a measure or an aggregate. A new one is one file and one entry here. */
export const WORDS: readonly Word[] = [via, ignoring, given, over, where, at, per, filter, from, withSelect];

/** The periods of `over`. */
export const PERIODS: readonly Word[] = [toDate, whole, previous, next, same, last];

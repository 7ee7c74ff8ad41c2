import type { Explanation, ScanStage } from '@crease/core/query';
import { counted, numberText } from '@crease/core/values';

const ms = (time: number): string => `${time < 10 ? time.toFixed(1) : Math.round(time)} ms`;
const rows = (count: number): string => counted(count, 'row');
const listOf = (word: string, columns: readonly string[]): string =>
  columns.length === 0 ? '' : ` ${word} ${[...new Set(columns)].join(', ')}`;

const howOf = ({ executor, grouping, because }: ScanStage): string =>
  because === undefined
    ? `${executor} scan${grouping === 'as met' ? ', groups numbered as they are met' : ''}`
    : `laid out row by row: ${because}`;

/** How a question was worked out, in lines. */
export const explanationText = ({ stages, restMs, elapsedMs, rows: answered }: Explanation): string =>
  [
    ...stages.flatMap((stage, i) => [
      `${i + 1}. ${stage.table}: ${rows(stage.rows)}, ${numberText(stage.left)} left${listOf('by', stage.by)}${listOf('where', stage.where)}`,
      `   ${howOf(stage)}; ${numberText(stage.groups)} groups, ${stage.fields} added up; prepared in ${ms(stage.prepareMs)}, scanned in ${ms(stage.scanMs)}`,
    ]),
    `the rest (checking, members, order) in ${ms(restMs)}; ${rows(answered)} in ${ms(elapsedMs)}`,
    '',
  ].join('\n');

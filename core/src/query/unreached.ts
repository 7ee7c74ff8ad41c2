import type { ColumnName, Typed } from '../formula/index.ts';
import { operandsOf } from '../formula/index.ts';
import { sameName } from '../model/index.ts';
import type { Named } from './axes.ts';
import type { ContextShape } from './context.ts';
import { entered, formulaCondition, isOnCalendar, measureContext } from './context.ts';
import { unreachedColumns } from './scan.ts';

/**
 * Columns of a context that do not reach some aggregate of a measure; then its cells do not apply. A matter
 * of the model alone.
 */
export function unreachedBy(setting: Named, node: Typed, context: ContextShape): ColumnName[] {
  switch (node.kind) {
    case 'aggregate':
      return context.repeat ? [] : unreachedColumns(setting, context, node.base);
    case 'measure': {
      const measure = setting.checker.names.measure(node.name)!;
      return unreachedBy(
        setting,
        setting.checker.measure(node.name)!.typed!,
        measureContext(context, measure),
      );
    }
    case 'per': {
      const added = node.columns.map((c) => ({ ...c, name: `${c.table}.${c.column}` }));
      return unreachedBy(setting, node.arg, { ...context, axes: [...context.axes, ...added] });
    }
    case 'context': {
      const { words } = node;
      let inner = entered(context, words, setting.checker.reach);
      if (words.over) inner = onDays(setting, words.over.calendar, inner);
      if (words.where)
        inner = {
          ...inner,
          steps: [...inner.steps, { kind: 'condition', condition: formulaCondition(words.where) }],
        };
      return unreachedBy(setting, node.operand, inner);
    }
    default: {
      const all = operandsOf(node).flatMap((child) => unreachedBy(setting, child, context));
      return [...new Map(all.map((c) => [`${c.table}.${c.column}`.toLowerCase(), c])).values()];
    }
  }
}

/** The context with some set of days in place of all that is on the calendar. */
function onDays(setting: Named, calendar: string, context: ContextShape): ContextShape {
  const { reach } = setting.checker;
  const { day } = setting.model.calendars!.find((c) => sameName(c.table, calendar))!;
  const others = context.steps.filter(
    (s) => s.kind === 'at' || !isOnCalendar(s.condition.columns, calendar, reach),
  );
  return {
    ...context,
    axes: context.axes.filter((axis) => !isOnCalendar([axis], calendar, reach)),
    steps: [
      {
        kind: 'condition',
        condition: { kind: 'days', calendar, columns: [{ table: calendar, column: day }] },
      },
      ...others,
    ],
  };
}

import { sameName } from '../../model/index.ts';
import { nearestName } from '../../values/index.ts';
import type { Span } from '../source.ts';
import type { ContextWord, Expression, Name } from '../tree.ts';
import type { Typed, TypedWords } from '../typed.ts';
import { AggregatePass } from './aggregatePass.ts';
import type { Mutable, Place } from './place.ts';

/**
 * One check of one formula; the words around measures are its own part. `undefined` stands for a part that
 * has a fault already.
 */
export class Pass extends AggregatePass {
  protected context(
    operandNode: Expression,
    words: readonly ContextWord[],
    place: Place,
    span: Span,
  ): Typed | undefined {
    if (place.rows) {
      this.expression(operandNode, place);
      return this.fault(
        words[0]!,
        `${words[0]!.word} belongs to measures: a row formula has no context to change`,
      );
    }
    const via = words.find((w) => w.word === 'via');
    const outer = this.via;
    const viaNames = via ? this.relationships(via.relationships) : [];
    this.via = [...outer, ...viaNames];
    const operand = this.expression(operandNode, place);
    this.via = [...this.goesBy(operand), ...this.via];
    const typed: Mutable<TypedWords> = viaNames.length > 0 ? { via: viaNames } : {};
    const bases = operand ? [...this.checker.basesOf(operand)] : [];
    for (const word of words) this.word(word, typed, bases);
    this.via = outer;
    return operand && { kind: 'context', operand, words: typed, type: operand.type, span };
  }

  /** The relationship that a measure goes by: words around it act on the days that these rows have by it. */
  private goesBy(operand: Typed | undefined): string[] {
    if (operand?.kind === 'step') return this.goesBy(operand.operand);
    if (operand?.kind !== 'measure') return [];
    const { via } = this.names.measure(operand.name)!;
    return [
      ...(via === undefined ? [] : [via.toLowerCase()]),
      ...this.goesBy(this.checker.measure(operand.name)?.typed),
    ];
  }

  protected word(word: ContextWord, typed: Mutable<TypedWords>, bases: readonly string[]): void {
    switch (word.word) {
      case 'via':
        return;
      case 'ignoring':
        typed.ignoring = { what: word.what, targets: this.typedTargets(word.targets) };
        return;
      case 'given':
        typed.given = this.typedTargets(word.targets);
        return;
      case 'where': {
        const condition = this.truth(word.condition, { rows: true, aggregates: false });
        if (!condition) return;
        this.checkConditionReaches(condition, bases, word.condition);
        typed.where = condition;
        return;
      }
      case 'over': {
        const calendar = this.calendarOf(word.calendar, bases, word);
        if (calendar !== undefined) typed.over = { period: word.period, calendar };
        return;
      }
      case 'at': {
        const column = this.targetColumn(word.column);
        const per = (word.per ?? []).flatMap((target) => this.perColumns(target));
        if (!column) return;
        for (const base of bases) {
          if (this.checkLookup(base, column.table, word.column))
            this.checkReaches(base, column, word.column, this.via);
          for (const c of per) this.checkReaches(base, c, word, this.via);
        }
        typed.at = { which: word.which, column, per };
      }
    }
  }

  protected calendarOf(named: Name | undefined, bases: readonly string[], span: Span): string | undefined {
    const calendars = (this.names.model.calendars ?? [])
      .map((c) => c.table)
      .filter((table) => !this.names.isRole(table));
    if (named) {
      const calendar = calendars.find((c) => sameName(c, named.text));
      if (!calendar) {
        const near = nearestName(named.text, calendars);
        return this.fault(
          named,
          `"${named.text}" is no calendar of the model${near ? `: did you mean "${near}"?` : ''}`,
        );
      }
      for (const base of bases) if (!this.checkLookup(base, calendar, span)) return undefined;
      return calendar;
    }
    for (const base of bases) {
      const near = calendars.filter((c) => this.checker.reach.lookup(base, c, this.via));
      const name = this.names.table(base)?.name ?? base;
      if (near.length === 0) {
        const ambiguous = calendars.find(
          (c) => this.checker.reach.route(base, c, this.via)?.kind === 'ambiguous',
        );
        return this.fault(
          span,
          ambiguous
            ? `${name} leads to ${ambiguous} over two default paths: name one with via`
            : `${name} has no calendar: over needs a calendar that ${name} refers to`,
        );
      }
      if (near.length > 1)
        return this.fault(
          span,
          `${name} refers to several calendars: write in ${near.join(' or in ')} inside of over`,
        );
    }
    const found = new Set(
      bases.map((base) => calendars.find((c) => this.checker.reach.lookup(base, c, this.via))!),
    );
    if (found.size > 1)
      return this.fault(
        span,
        `the facts of this measure refer to different calendars (${[...found].join(', ')}): use over on each of them`,
      );
    return [...found][0] ?? this.fault(span, 'over needs rows that refer to a calendar');
  }

  protected withSteps(node: Extract<Expression, { kind: 'with' }>, place: Place): Typed | undefined {
    if (place.rows) return this.fault(node, 'with … select belongs to measures');
    const before = this.steps;
    for (const step of node.steps) {
      if (this.steps.some((s) => sameName(s.name, step.name.text)))
        this.fault(step.name, `there are two steps "${step.name.text}"`);
      this.steps = [...this.steps, { name: step.name.text, typed: this.expression(step.value, place) }];
    }
    const body = this.expression(node.body, place);
    this.steps = before;
    return body;
  }
}

import type { CalendarsState } from '@crease/contract';
import type { Calendar } from '@crease/core/calendar';
import { inStep, withCalendarOf } from '@crease/core/calendar';
import type { Model, Table } from '@crease/core/model';
import { DocumentError, sameName, isDerived } from '@crease/core/model';
import { ServerError } from './errors.ts';
import type { Models, Revision, Tables } from './store/index.ts';
import { ConflictError, sourceKey } from './store/index.ts';

interface Held {
  readonly id: number;
  readonly model: Model;
}

/**
 * Calendars that models of a workspace have from each other: as copies, or as links that follow whatever
 * becomes of the other's.
 */
export class SharedCalendars {
  constructor(
    private readonly models: Models,
    private readonly tables: Tables,
  ) {}

  state(modelId: number): CalendarsState {
    const own = this.held(modelId);
    const others = this.all().filter(({ id }) => id !== modelId);
    return {
      offered: others.flatMap((other) =>
        (other.model.calendars ?? []).flatMap((calendar) => {
          const table = tableOf(other.model, calendar.table);
          const isOwn = calendar.follows !== undefined && sameName(calendar.follows.model, own.model.name);
          if (!table || isOwn || refusal(table) !== undefined) return [];
          return [
            {
              model: other.id,
              title: titleOf(other.model),
              table: table.name,
              day: calendar.day,
              rows: this.rowsOf(other.id, table),
            },
          ];
        }),
      ),
      links: (own.model.calendars ?? []).flatMap((calendar) => {
        if (!calendar.follows) return [];
        const source = this.sourceOf(calendar);
        const now = source && inStep(own.model, calendar, source.model);
        return [
          {
            table: calendar.table,
            model: source && now ? source.id : null,
            title: source ? titleOf(source.model) : calendar.follows.model,
            inStep: now === own.model,
          },
        ];
      }),
      followers: this.followersOf(modelId).map(({ id, model, calendar }) => ({
        table: calendar.follows!.table,
        model: id,
        title: titleOf(model),
      })),
    };
  }

  /**
   * Takes over a calendar with its rows. Throws ServerError where that cannot be, ConflictError where the
   * model has changed since `base`.
   */
  take(
    modelId: number,
    order: { base: number; model: number; table: string; how: 'link' | 'copy'; by: string },
  ): Revision {
    const [own, other] = [this.held(modelId), this.held(order.model)];
    const head = this.models.head(modelId);
    if (head.id !== order.base) throw new ConflictError(head);
    const table = tableOf(other.model, order.table);
    if (other.id === modelId) throw new ServerError('cannot-answer', 'a model has its own calendars already');
    const refused = table && refusal(table);
    if (refused !== undefined) throw new ServerError('cannot-answer', refused);
    if (order.how === 'link') this.refuseLink(own, other, order.table);
    const taken = withCalendarOf(own.model, other.model, order.table, order.how);
    if (!table || !taken)
      throw new ServerError('not-found', `${titleOf(other.model)} has no calendar ${order.table} any more`);
    const revision = this.models.change(
      modelId,
      () => taken.model,
      `${order.how === 'link' ? 'linked' : 'copied'} ${table.name} of ${titleOf(other.model)}`,
      {
        by: order.by,
        before: () =>
          void this.tables.copyRows(
            { modelId: other.id, key: sourceKey(table) },
            { modelId, key: sourceKey(taken.table) },
          ),
      },
    );
    return revision;
  }

  /** A link is known by the model's name, and must not lead back to where it starts. */
  private refuseLink(own: Held, other: Held, table: string): void {
    if (this.byName(other.model.name)?.id !== other.id)
      throw new ServerError(
        'cannot-answer',
        `the workspace has two models named ${other.model.name}: a link would not know which is meant. Take a copy`,
      );
    const met = new Set<number>();
    for (let at: Held | undefined = other, name = table; at && !met.has(at.id);) {
      met.add(at.id);
      const calendar: Calendar | undefined = (at.model.calendars ?? []).find((c) => sameName(c.table, name));
      if (!calendar?.follows) return;
      if (sameName(calendar.follows.model, own.model.name))
        throw new ServerError(
          'cannot-answer',
          `${name} of ${titleOf(other.model)} follows a calendar of this model: take a copy`,
        );
      name = calendar.follows.table;
      at = this.sourceOf(calendar);
    }
  }

  /**
   * Brings the calendars that follow those of a model in step with them; gives the models that have changed
   * by it.
   */
  syncFollowers(modelId: number): { modelId: number; revision: Revision }[] {
    const changed = new Set(
      this.followersOf(modelId).flatMap(({ id, calendar }) => (this.follow(id, calendar.table) ? [id] : [])),
    );
    return [...changed].map((id) => ({ modelId: id, revision: this.models.head(id) }));
  }

  /** Brings one calendar in step with the one that it follows. Whether anything has changed. */
  follow(modelId: number, table: string): boolean {
    const { model } = this.held(modelId);
    const calendar = (model.calendars ?? []).find((c) => sameName(c.table, table));
    const source = calendar && this.sourceOf(calendar);
    const now = source && inStep(model, calendar, source.model);
    if (!now) return false;
    const [from, to] = [tableOf(source.model, calendar.follows!.table)!, tableOf(now, calendar.table)!];
    return this.models.together(() => {
      const rows = this.tables.copyRows(
        { modelId: source.id, key: sourceKey(from) },
        { modelId, key: sourceKey(to) },
      );
      if (now === model && !rows) return false;
      this.models.change(modelId, () => now, `${calendar.table} follows ${titleOf(source.model)}`, {
        by: 'server',
      });
      return true;
    });
  }

  private followersOf(modelId: number): (Held & { calendar: Calendar })[] {
    const { model } = this.held(modelId);
    if (this.byName(model.name)?.id !== modelId) return [];
    return this.all().flatMap((held) =>
      (held.model.calendars ?? []).flatMap((calendar) =>
        held.id !== modelId && calendar.follows && sameName(calendar.follows.model, model.name)
          ? [{ ...held, calendar }]
          : [],
      ),
    );
  }

  private sourceOf({ follows }: Calendar): Held | undefined {
    return follows && this.byName(follows.model);
  }

  /** Of models of one name the first. */
  private byName(name: string): Held | undefined {
    return this.all().find(({ model }) => sameName(model.name, name));
  }

  /** Models that can be read: one that cannot must not stand in the way of an edit of another. */
  private all(): Held[] {
    return this.models.ids().flatMap((id) => {
      try {
        return [this.held(id)];
      } catch (error) {
        if (error instanceof DocumentError) return [];
        throw error;
      }
    });
  }

  private held(id: number): Held {
    return { id, model: this.models.head(id).model };
  }

  private rowsOf(modelId: number, table: Table): number | null {
    const key = sourceKey(table);
    return key in this.tables.versions(modelId) ? this.tables.rowCount(modelId, key) : null;
  }
}

const tableOf = (model: Model, name: string): Table | undefined =>
  model.tables.find((t) => sameName(t.name, name));

const titleOf = (model: Model): string => model.title ?? model.name;

/** Why the calendar of a table cannot be had by another model. */
const refusal = (table: Table): string | undefined =>
  isDerived(table)
    ? `${table.name} is derived from other tables of its model, which do not come along: share a table that has rows of its own`
    : undefined;

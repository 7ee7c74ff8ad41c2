import { LRUCache } from 'lru-cache';
import type { ReleasedState, ReleasedSummary, ReleaseOfReaders } from '@crease/contract';
import type { Perspective, Query } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import type { Answer, GoalStates } from '@crease/core/query';
import type { ODataRequest, ODataResponse } from '@crease/core/odata';
import { ReadersView } from '@crease/core/release';
import type { AggregateRows, RowsBehind, RowsRequest } from '@crease/core/rows';
import { ServerError } from '../errors.ts';
import { explained } from '../explained.ts';
import type { Models, ModelVersion, Released, Releases } from '../store/index.ts';
import type { Pool } from '../tasks/pool.ts';

/** What the reading room takes of a workspace: a whole one has it, and one that is only read too. */
export interface RoomSource {
  readonly file: string;
  readonly models: Pick<Models, 'find' | 'documentOf'>;
  readonly releases: Pick<Releases, 'models' | 'forReaders'>;
  readonly pool: Pick<Pool, 'run'>;
  readonly log: { error(details: object, message: string): void };
}

/** One perspective of a released model, opened. */
interface Opened {
  readonly released: Released;
  readonly title: string;
  readonly perspective: Perspective;
  readonly view: ReadersView;
  /** A model without perspectives is seen whole. */
  readonly isWhole: boolean;
}

/** How many perspectives of releases are kept opened. */
const MOST_OPEN = 20;

const NOT_THERE = 'there is no such released model here: ask who released it for its address';

/**
 * Released models as their readers see them. All that is asked is asked of the release, of its revision and
 * the rows that it stood on; what a question names is held against what the perspective shows before it is
 * answered, and what is told of a fault names nothing else.
 */
export class ReadingRoom {
  private readonly opened = new LRUCache<string, Opened>({ max: MOST_OPEN });

  constructor(private readonly source: RoomSource) {}

  list(): ReleasedSummary[] {
    const { releases, models } = this.source;
    return releases.models().flatMap((id): ReleasedSummary[] => {
      const released = releases.forReaders(id);
      if (!released) return [];
      const { model } = models.find(released.revision);
      return [
        {
          id,
          name: model.name,
          title: model.title ?? model.name,
          ...(model.description === undefined ? {} : { description: model.description }),
          release: forReaders(released, model.asOf),
          perspectives: perspectivesOf(model.name, model.title, model.perspectives).map(
            ({ name, title }) => ({
              name,
              title: title ?? name,
            }),
          ),
        },
      ];
    });
  }

  /** What the perspective shows. `model` is its number in the workspace or its name. */
  state(model: string, perspective: string, release?: number): ReleasedState {
    const opened = this.open(model, perspective, release);
    const { released, title, perspective: own } = opened;
    return {
      id: released.modelId,
      perspective: { name: own.name, title },
      release: forReaders(released, opened.view.model.asOf),
      model: opened.view.model,
      closedTrials: [...opened.view.closedTrials],
    };
  }

  newest(model: string, perspective: string): ReleaseOfReaders {
    const { released, view } = this.open(model, perspective);
    return forReaders(released, view.model.asOf);
  }

  /** The view of a perspective, and the rows that it is of. Throws ServerError where there is none. */
  open(model: string, perspective: string, release?: number): Opened {
    const { models } = this.source;
    const released = this.released(model, release);
    const key = JSON.stringify([released.entry.id, perspective.toLowerCase()]);
    const known = this.opened.get(key);
    if (known) return known;
    const { model: whole } = models.find(released.revision);
    const found = perspectivesOf(whole.name, whole.title, whole.perspectives).find((p) =>
      sameName(p.name, perspective),
    );
    if (!found) throw new ServerError('not-found', NOT_THERE);
    const { isWhole = false, ...own } = found;
    const opened = {
      released,
      title: own.title ?? own.name,
      perspective: own,
      isWhole,
      view: new ReadersView(whole, isWhole ? undefined : own),
    };
    this.opened.set(key, opened);
    return opened;
  }

  /** Answers a question of readers. */
  query(
    opened: Opened,
    query: Query,
    texts: 'code points' | 'counting',
    signal?: AbortSignal,
  ): Promise<Answer & { elapsedMs: number }> {
    refuse(opened.view.notShown(query));
    return this.answer(opened, query, texts, signal);
  }

  /** Answers a kept trial that is shown, whatever its conditions speak of. */
  trial(opened: Opened, name: string, signal?: AbortSignal): Promise<Answer & { elapsedMs: number }> {
    const { view, released } = opened;
    const isShown = [...(view.model.trials ?? []), ...view.closedTrials].some((t) => sameName(t.name, name));
    const trial = (this.source.models.find(released.revision).model.trials ?? []).find((t) =>
      sameName(t.name, name),
    );
    if (!trial || !isShown) throw new ServerError('not-found', `there is no kept trial ${name} here`);
    return this.answer(opened, trial.query, 'code points', signal);
  }

  /** The rows behind cells, with columns that are shown; aggregates over what is not shown are left out. */
  async rowsBehind(opened: Opened, request: RowsRequest, signal?: AbortSignal): Promise<RowsBehind> {
    const { view } = opened;
    refuse([...view.notShown(request.query), ...view.columnsNotShown(request.columns ?? [])]);
    const listings = view.model.detailListings ?? [];
    if (request.listing !== undefined && !listings.some((l) => sameName(l.name, request.listing!)))
      refuse([request.listing]);
    const { tables } = view.model;
    const shown = Object.fromEntries(
      tables.map((t) => [t.name.toLowerCase(), t.columns.map((c) => c.name)] as const),
    );
    const found = await this.guarded(view, () =>
      this.source.pool.run('rowsBehind', { ...request, keys: false, shown, ...this.task(opened) }, signal),
    );
    const isShown = ({ table }: AggregateRows) => tables.some((t) => sameName(t.name, table));
    return { aggregates: found.aggregates.filter(isShown).map((a) => told(a, view)) };
  }

  values(opened: Opened, column: string, search: string, signal?: AbortSignal) {
    refuse(opened.view.columnsNotShown([column]));
    return this.guarded(opened.view, () =>
      this.source.pool.run('values', { column, search, ...this.task(opened) }, signal),
    );
  }

  /** Answers a request of OData: a fault of the request is an answer, too. */
  odata(opened: Opened, request: ODataRequest, signal?: AbortSignal): Promise<ODataResponse> {
    const perspective = opened.isWhole ? undefined : opened.perspective;
    return this.guarded(opened.view, () =>
      this.source.pool.run('odata', { perspective, request, ...this.task(opened) }, signal),
    );
  }

  /** What a worker needs to know of what is released. */
  task({ released: { modelId, revision, versions, day } }: Opened): ModelVersion {
    const { file: workspace, models } = this.source;
    const document = models.documentOf(models.find(revision));
    return { workspace, modelId, revision, document, versions, day };
  }

  /** Does what is asked; what goes wrong is told without what readers are not shown. */
  async guarded<T>(view: ReadersView, act: () => Promise<T>): Promise<T> {
    try {
      return await act();
    } catch (error) {
      const { code, message } = explained(error, '');
      if (code === 'internal') throw error;
      const said = view.told(message);
      if (said !== message) this.source.log.error({ error: message }, 'a question of a reader failed');
      throw new ServerError(code, said);
    }
  }

  private async answer(
    opened: Opened,
    query: Query,
    texts: 'code points' | 'counting',
    signal: AbortSignal | undefined,
  ) {
    const answer = await this.guarded(opened.view, () =>
      this.source.pool.run('query', { query, texts, ...this.task(opened) }, signal),
    );
    const { goals, unreached } = answer;
    const shown = (column: string) =>
      opened.view.columnsNotShown([column]).length === 0 ? column : 'a condition that is not shown';
    return {
      ...answer,
      unreached: unreached.map(([measure, column]) => [measure, shown(column)] as const),
      ...(goals ? { goals: goalsShown(goals, opened.view) } : {}),
    };
  }

  private released(model: string, release: number | undefined): Released {
    const { releases, models } = this.source;
    const ids = releases.models();
    const isNamed = (id: number) => {
      const found = releases.forReaders(id);
      return found !== undefined && sameName(models.find(found.revision).model.name, model);
    };
    const numbered = ids.find((one) => String(one) === model);
    const named = numbered === undefined ? ids.filter(isNamed) : [numbered];
    if (named.length > 1)
      throw new ServerError(
        'not-found',
        `several released models are named ${model}: ask for one by its number, ${named.join(' or ')}`,
      );
    const [id] = named;
    const found = id === undefined ? undefined : releases.forReaders(id, release);
    if (!found)
      throw new ServerError(
        'not-found',
        id === undefined ? NOT_THERE : 'that release is not kept any more: load the page again',
      );
    return found;
  }
}

/** The perspectives that readers choose from; a model without any is seen whole, but for what is hidden. */
function perspectivesOf(
  name: string,
  title: string | undefined,
  perspectives: readonly Perspective[] = [],
): (Perspective & { isWhole?: true })[] {
  if (perspectives.length > 0) return [...perspectives];
  return [{ name, ...(title === undefined ? {} : { title }), tables: [], isWhole: true }];
}

function forReaders({ entry, day }: Released, asOf: string | undefined): ReleaseOfReaders {
  const { id, release = 0, revision, at, author } = entry;
  return { id, number: release, revision, at, ...(author ? { author } : {}), day: asOf ?? day };
}

/** Throws ServerError for names that are not shown: whether they are there is not told. */
function refuse(names: readonly string[]): void {
  if (names.length > 0) throw new ServerError('cannot-answer', `there is no ${names.join(', no ')} here`);
}

/** An aggregate without what is not shown: its formula, and lines of files that readers do not have. */
function told(aggregate: AggregateRows, view: ReadersView): AggregateRows {
  const text = view.told(aggregate.text) === aggregate.text ? aggregate.text : 'rows of the measure';
  const { standsFor } = aggregate;
  return {
    ...aggregate,
    text,
    lines: [],
    columns: aggregate.columns.map((c) => ({ ...c, ...titleOf(c, view) })),
    ...(standsFor === undefined
      ? {}
      : { standsFor: view.told(standsFor) === standsFor ? standsFor : 'they are not summed' }),
  };
}

/** The title that a listing or the perspective has for a column. */
function titleOf({ name, title }: AggregateRows['columns'][number], view: ReadersView): { title?: string } {
  const said = title ?? view.titleOf(name);
  return said === undefined ? {} : { title: said };
}

/** States of cells without those that stand against a measure that is not shown. */
function goalsShown(goals: GoalStates, { model }: ReadersView): GoalStates {
  const isShown = (goal: string) =>
    !Number.isNaN(Number(goal)) || (model.measures ?? []).some((m) => sameName(m.name, goal));
  const seen = goals.columns.map((column) => column !== null && isShown(column.goal));
  const only = (states: readonly (number | null)[]) => states.map((state, i) => (seen[i] ? state : null));
  return {
    columns: goals.columns.map((column, i) => (seen[i] ? column : null)),
    rows: goals.rows.map(only),
    totals: only(goals.totals),
  };
}

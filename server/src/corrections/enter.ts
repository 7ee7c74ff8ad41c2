import type { Corrections, Model } from '@crease/core/model';
import { fileOf, freeName, sameName, splitPath } from '@crease/core/model';
import { ServerError } from '../errors.ts';
import { sourceKey } from '../store/index.ts';
import type { WriteInput } from '../tasks/corrections.ts';
import type { Workspace } from '../workspace.ts';

/** What comes of entering corrections or reading a file of them. */
export interface EnteredCorrections {
  readonly revision: number;
  readonly added: number;
  readonly unreadable: number;
}

/**
 * Brings corrections behind those of a column, or in their place, as a revision that is undone like any
 * other. Throws ServerError where another load or edit came in between.
 */
export async function enterCorrections(
  workspace: Workspace,
  modelId: number,
  order: { readonly of: string; readonly mode: 'add' | 'replace'; readonly by: string },
  coming: WriteInput['coming'],
): Promise<EnteredCorrections> {
  const { models, tables, pool } = workspace;
  const task = workspace.task(modelId);
  const { model } = models.head(modelId);
  const known = (model.corrections ?? []).find((c) => sameName(c.of, order.of));
  const list: Corrections = known ?? { of: order.of, source: { file: fileFor(order.of, model) } };
  const key = sourceKey({ name: list.of, source: list.source });
  const end = workspace.underWay.begin(modelId, [{ key, name: `corrections of ${list.of}` }]);
  try {
    const { tableId, ...result } = await pool.load('writeCorrections', {
      ...task,
      list,
      mode: order.mode,
      coming,
    });
    const says = `${order.mode === 'add' ? 'corrected' : 'replaced the corrections of'} ${list.of}`;
    const revision = models.change(
      modelId,
      (head) => ({
        ...head,
        corrections: [...(head.corrections ?? []).filter((c) => !sameName(c.of, list.of)), list],
      }),
      says,
      {
        by: order.by,
        before: () => {
          if (tables.versions(modelId)[key] !== task.versions[key]) {
            tables.drop(tableId);
            throw new ServerError('cannot-answer', `${list.of} has been corrected meanwhile: try again`);
          }
          tables.finish(tableId, new Map());
        },
      },
    );
    workspace.pruneRows(modelId);
    workspace.changed(modelId, revision, order.by);
    return { revision: revision.id, ...result };
  } finally {
    end();
  }
}

/** A name for the file of a list that no table or other list has. */
function fileFor(of: string, model: Model): string {
  const [table, column] = splitPath(of) ?? [of, ''];
  const plain = `${table}_${column}_corrections`.replace(/[^\p{L}\p{N}_-]+/gu, '_');
  const taken = [
    ...model.tables.flatMap((t) => fileOf(t)?.file ?? []),
    ...(model.corrections ?? []).map((c) => c.source.file),
  ].map((file) => ({ name: file.replace(/\.csv$/i, '') }));
  return `${freeName(plain, taken)}.csv`;
}

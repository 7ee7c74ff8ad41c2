import { ServerError } from '../errors.ts';

/**
 * Loads of tables that are under way, by model and source: a second one of the same table would undo what the
 * first one does.
 */
export class LoadsUnderWay {
  private readonly open = new Map<string, string>();

  /**
   * Marks tables as being loaded until the function that it gives is called. Throws ServerError where one is
   * already.
   */
  begin(modelId: number, tables: readonly { readonly key: string; readonly name: string }[]): () => void {
    const ids = tables.map(({ key }) => `${modelId}\n${key}`);
    const taken = tables.find((_, i) => this.open.has(ids[i]!));
    if (taken) throw new ServerError('busy', `${taken.name} is being loaded: wait until that load has ended`);
    ids.forEach((id, i) => this.open.set(id, tables[i]!.name));
    return () => ids.forEach((id) => this.open.delete(id));
  }
}

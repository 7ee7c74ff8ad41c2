import { connectionOf, readModel } from '@crease/core/model';
import { DATE, textReader } from '@crease/core/values';
import type { ModelVersion } from '../store/index.ts';
import { task } from '../threads/protocol.ts';
import type { EnginePlace } from '../warehouse/engines/index.ts';
import { engineAt } from '../warehouse/engines/index.ts';
import { passedTables } from '../warehouse/passedThrough.ts';
import { profileOn as profileThere } from '../warehouse/profileOn.ts';
import { ModelOnWarehouse } from '../warehouse/warehouse.ts';
import { dataOf } from './modelRows.ts';

/** Counts of all rows of a large fact may take their time. */
const TIMEOUT_MS = 1_800_000;

/** What passed-through tables would weigh if they were held: samples are encoded here, beside no question. */
export const profileOn = task(
  async ({ place, connection, ...version }: { place: EnginePlace; connection: string } & ModelVersion) => {
    const start = performance.now();
    const model = readModel(version.document);
    const order = {
      model,
      connection,
      tables: passedTables(model).filter((t) => connectionOf(t)!.connection === connection),
      held: (table: { readonly name: string }) => dataOf(version).table(table.name),
      today: textReader(DATE)(model.asOf ?? version.day) as number,
      timeoutMs: TIMEOUT_MS,
    };
    const engine = engineAt(place);
    const { profile, sampled } = await engine.within(async (session) =>
      profileThere(await ModelOnWarehouse.open(engine, session, order)),
    );
    const elapsedMs = Math.round(performance.now() - start);
    return { profile, sampled: sampled.map((s) => ({ ...s })), elapsedMs };
  },
);

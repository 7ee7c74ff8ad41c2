import { useState } from 'react';
import type { ConnectionState, DatabaseTable, UploadState } from '@crease/contract';
import { api } from '@crease/contract';
import { many } from '../../parts/text.ts';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { keyOf, nameOf } from './databaseTable.ts';

/** Does a work and goes on with its result; says what went wrong. */
export function useAttempt() {
  const { fail } = useModel();
  return async <T>(work: () => Promise<T>, then: (result: T) => void): Promise<void> => {
    try {
      then(await work());
    } catch (reason) {
      fail(reason);
    }
  };
}

/** Which tables of a database are chosen, what they refer to beside, and ways to take them. */
export function useChosenTables(
  connection: ConnectionState,
  tables: readonly DatabaseTable[],
  onDrawn: (uploads: readonly UploadState[]) => void,
) {
  const { fail, tell, state } = useModel();
  const attempt = useAttempt();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [drawing, setDrawing] = useState<{ done: number; of: number }>();
  const wanted = tables.filter((t) => chosen.has(keyOf(t)));
  const missing = wanted
    .flatMap((t) => t.references)
    .filter((r) => tables.some((t) => keyOf(t) === keyOf(r)) && !chosen.has(keyOf(r)));
  /** The rows stay where they are: nothing is previewed or loaded. */
  const pass = () =>
    attempt(
      () =>
        ask(
          api.intake.passThrough,
          { id: state.id },
          { connection: connection.name, tables: wanted.map(nameOf) },
        ),
      ({ tables: fresh }) => {
        setChosen(new Set());
        tell({
          tone: 'plain',
          text:
            fresh.length === 0
              ? 'These tables are in the model already'
              : `${fresh.length === 1 ? fresh[0]! : many(fresh.length, 'table')} passed through: rows stay in ${connection.name}`,
        });
      },
    );
  const draw = async () => {
    setDrawing({ done: 0, of: wanted.length });
    const drawn: UploadState[] = [];
    try {
      for (const t of wanted) {
        drawn.push(
          ...(await ask(api.databases.sample, { connection: connection.name }, { tables: [nameOf(t)] })),
        );
        setDrawing({ done: drawn.length, of: wanted.length });
      }
    } catch (reason) {
      fail(reason);
    }
    setDrawing(undefined);
    // Those that came before one that could not be had are there to be taken in.
    if (drawn.length > 0) onDrawn(drawn);
  };
  return { chosen, setChosen, wanted, missing, drawing, pass, draw };
}

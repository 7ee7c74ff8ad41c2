import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeDemo } from '../../cli/src/commands/demo.ts';
import type { TableData } from '../../core/src/columns/index.ts';
import type { Model } from '../../core/src/model/index.ts';
import { DataError } from '../../core/src/query/index.ts';
import { demoModel } from '../../demo/src/index.ts';
import { folderData } from '../../server/src/files.ts';

/** The rows of the made-up library consortium with so many loan lines, of columns that are stored. */
export function demoRows(loans: number): {
  readonly model: Model;
  readonly rowsOf: (table: string) => TableData | undefined;
} {
  const scratch = mkdtempSync(join(tmpdir(), 'crease-cluster-demo-'));
  try {
    writeDemo(scratch, loans);
    const model = demoModel();
    const data = folderData(model, scratch, 0);
    const rows = new Map<string, TableData>();
    for (const table of model.tables) {
      const stored = new Set(
        table.columns.filter((c) => c.formula === undefined).map((c) => c.name.toLowerCase()),
      );
      try {
        const own = data.table(table.name);
        rows.set(table.name, {
          ...own,
          columns: new Map([...own.columns].filter(([column]) => stored.has(column.toLowerCase()))),
        });
      } catch (error) {
        if (!(error instanceof DataError)) throw error;
      }
    }
    return { model, rowsOf: (name) => rows.get(name) };
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}

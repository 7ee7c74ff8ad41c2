// Claims and proposals at scale, through the server as a browser meets it. Prints its figures as JSON.
import { spawn } from 'node:child_process';
import type { ChildProcess } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ClaimsState } from '@crease/contract';
import { columnOfValues, tableOf } from '@crease/core/columns';
import type { TableData } from '@crease/core/columns';
import type { Model } from '@crease/core/model';
import { readModel } from '@crease/core/model';
import { findAllLevels, proposeStar } from '@crease/core/propose';
import { ModelData } from '@crease/core/query';
import { INTEGER, TEXT } from '@crease/core/values';
import { openWorkspace, sourceKey, Tables } from '../server/src/store/index.ts';
import { tableLoader } from '@crease/core/sources';

const [workspace, folder] = [process.argv[2]!, process.argv[3]!];
const found: [string, string, string][] = [];
let program: ChildProcess | undefined;
const ms = (time: number): string => `${Math.round(time)} ms`;

/** Verdicts of a model of which the rows are stored already. */
async function claims(): Promise<void> {
  program = spawn(
    process.execPath,
    ['cli/bin/crease.mjs', 'serve', '--workspace', workspace, '--port', '0'],
    {
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  );
  const address = await new Promise<string>((ready) =>
    program!.stdout!.on('data', (line: Buffer) => {
      const at = /http:\S+/.exec(line.toString());
      if (at) ready(at[0]);
    }),
  );
  const call = async <T>(path: string, body?: unknown): Promise<T> => {
    const request =
      body === undefined
        ? {}
        : { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) };
    const response = await fetch(`${address}/api${path}`, request);
    if (!response.ok) throw new Error(await response.text());
    return (await response.json()) as T;
  };
  const text = readFileSync(join(folder, 'lantern-valley.crease.json'), 'utf8');
  const { id } = await call<{ id: number }>('/models/import', { text });
  const db = openWorkspace(workspace);
  db.prepare('update stored_table set model_id = ?').run(id);
  const rows = new Tables(db)
    .list(id)
    .find((t) => t.key === sourceKey(readModel(text).tables.find((t) => t.name === 'loan_export')!))!.rows;
  db.close();
  const done = async (): Promise<ClaimsState> => {
    for (;;) {
      const state = await call<ClaimsState>(`/models/${id}/claims`);
      if (state.done) return state;
      await new Promise((resume) => setTimeout(resume, 5));
    }
  };
  const edit = async (says: string, change: object): Promise<number> => {
    const { revision } = await call<{ revision: { id: number } }>(`/models/${id}`);
    const start = performance.now();
    await call(`/models/${id}/edits`, { base: revision.id, says, edit: [change] });
    await done();
    return performance.now() - start;
  };
  await call(`/models/${id}/formula`, { formula: 'count(branch)' }); // starts the threads
  const start = performance.now();
  const state = await done();
  const all = performance.now() - start;
  found.push([
    `all ${state.claims.length} claims, ${rows} loans, 12 dimensions, from encoded columns`,
    ms(all),
    'under 5 s',
  ]);
  const edits: [string, object, object][] = [
    [
      'another title',
      { do: 'set-table', table: 'branch', change: { title: 'A' } },
      { do: 'set-table', table: 'branch', change: { title: 'B' } },
    ],
    [
      'a relationship one-to-one',
      { do: 'set-relationship', name: 'loan_branch', change: { cardinality: 'one-to-one' } },
      { do: 'set-relationship', name: 'loan_branch', change: { cardinality: 'many-to-one' } },
    ],
    [
      'another label',
      { do: 'set-table', table: 'branch', change: { label: 'town' } },
      { do: 'set-table', table: 'branch', change: { label: 'name' } },
    ],
    [
      'the key of the fact',
      { do: 'set-table', table: 'loan_export', change: { key: ['receipt_no'] } },
      { do: 'set-table', table: 'loan_export', change: { key: ['receipt_no', 'line_no'] } },
    ],
  ];
  for (const [says, there, back] of edits) {
    const times = [
      await edit(says, there),
      await edit(says, back),
      await edit(says, there),
      await edit(says, back),
    ];
    found.push([`  verdicts after an edit: ${says}`, ms(times.sort((a, b) => a - b)[1]!), 'under 300 ms']);
  }
}

/**
 * 50 tables with 600 columns: keys, references, levels, among columns that have nothing to do with each
 * other.
 */
function proposals(): void {
  const [tables, rows] = [50, 20_000];
  const data = new Map<string, TableData>();
  const spread = (seed: number, size: number) =>
    Array.from({ length: rows }, (_, i) => (Math.imul(i + 1, 2654435761 + seed * 40503) >>> 8) % size);
  const model: Model = { crease: 1, name: 'wide', tables: [] };
  for (let t = 0; t < tables; t++) {
    const name = `table_${t}`;
    const columns = [
      columnOfValues(
        'id',
        INTEGER,
        Array.from({ length: rows }, (_, i) => i),
      ),
    ];
    for (let r = 1; r <= 3; r++)
      columns.push(columnOfValues(`table_${(t + r * 7) % tables}_id`, INTEGER, spread(t + r, rows)));
    const town = spread(t, 400);
    columns.push(
      columnOfValues(
        'town',
        TEXT,
        town.map((v) => `town ${v}`),
      ),
    );
    columns.push(
      columnOfValues(
        'district',
        TEXT,
        town.map((v) => `district ${v % 40}`),
      ),
    );
    for (let c = columns.length; c < 12; c++)
      columns.push(
        columnOfValues(
          `fact_${c}`,
          c % 2 ? INTEGER : TEXT,
          spread(c * t + c, 50 * c).map((v) => (c % 2 ? v : `v${v}`)),
        ),
      );
    data.set(name, tableOf(name, columns));
    model.tables.push({
      name,
      role: 'dimension',
      columns: columns.map((c) => ({ name: c.name, type: c.type.kind })),
    });
  }
  const of = new ModelData(
    model,
    tableLoader(model, 0, (table) => data.get(table.name)!),
    0,
  );
  const start = performance.now();
  const star = proposeStar(of);
  const stars = performance.now();
  findAllLevels(of);
  const end = performance.now();
  const references = star.filter((p) => p.kind === 'relationship').length;
  found.push([
    `${references} references proposed for 50 tables, 600 columns, 20,000 rows each`,
    ms(stars - start),
    '',
  ]);
  found.push(['  with functional dependencies', ms(end - start), 'under 10 s']);
}

proposals();
try {
  await claims();
} finally {
  program?.kill(); // it would keep whoever waits for this program's output waiting
}
process.stdout.write(JSON.stringify(found), () => process.exit(0));

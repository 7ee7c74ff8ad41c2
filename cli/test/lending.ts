import { spawnSync } from 'node:child_process';
import { join } from 'node:path';

// A small star of loans, for tests of commands that ask a database.

const columns = (of: Record<string, string>) => Object.entries(of).map(([name, type]) => ({ name, type }));

export const LENDING = {
  crease: 1,
  name: 'lending',
  tables: [
    {
      name: 'loan',
      role: 'fact',
      key: ['no'],
      source: { file: 'loan.csv' },
      columns: columns({ no: 'integer', branch_code: 'text', lent_on: 'date', fine: 'decimal(8,2)' }),
    },
    {
      name: 'branch',
      role: 'dimension',
      key: ['code'],
      source: { file: 'branch.csv' },
      columns: columns({ code: 'text', name: 'text', region: 'text' }),
    },
    {
      name: 'days',
      role: 'dimension',
      key: ['day'],
      source: { file: 'days.csv' },
      columns: columns({ day: 'date', month: 'text' }),
    },
  ],
  relationships: [
    {
      name: 'loan_branch',
      from: { table: 'loan', columns: ['branch_code'] },
      to: { table: 'branch', columns: ['code'] },
    },
    {
      name: 'lent_on',
      from: { table: 'loan', columns: ['lent_on'] },
      to: { table: 'days', columns: ['day'] },
    },
  ],
  measures: [{ name: 'Fines', formula: 'sum(loan.fine)' }],
};

/** The days of January alone: they lie in a file, and in no database. */
export const JANUARY = [
  'day,month',
  ...Array.from({ length: 31 }, (_, i) => `2026-01-${String(i + 1).padStart(2, '0')},January`),
].join('\n');

/** What `check --json` writes. */
export interface Listed {
  readonly claims: {
    id: string;
    verdict: string;
    evidence: { checked: number; against: number; notes?: string[] };
  }[];
}

const bin = join(import.meta.dirname, '../bin/crease.mjs');

/** Runs the command line in a folder. */
export function creaseIn(
  folder: string,
  args: readonly string[],
  environment: Readonly<Record<string, string>> = {},
): { status: number | null; stdout: string; stderr: string } {
  const { status, stdout, stderr } = spawnSync(process.execPath, [bin, ...args], {
    cwd: folder,
    encoding: 'utf8',
    env: { ...process.env, ...environment },
  });
  return { status, stdout, stderr };
}

import type { NamingRule } from '@crease/core/reading';
import { NAMING_RULES } from '@crease/core/reading';
import { ownTimeZone } from '../clock.ts';
import type { Connection } from './database.ts';
import type { KeepRule } from './rowVersions.ts';
import { DEFAULT_KEEP } from './rowVersions.ts';

/** What holds for the whole workspace. */
export class Settings {
  constructor(private readonly db: Connection) {}

  /** How columns of files are named. */
  get naming(): NamingRule {
    const value = this.read<unknown>('naming');
    return NAMING_RULES.find((rule) => rule === value) ?? 'as they are';
  }

  set naming(rule: NamingRule) {
    this.write('naming', rule);
  }

  /** How long rows of before are kept for undo. */
  get keep(): KeepRule {
    return this.read<KeepRule>('keep') ?? DEFAULT_KEEP;
  }

  set keep(rule: KeepRule) {
    this.write('keep', rule);
  }

  /** By which load plans are run. */
  get timeZone(): string {
    return this.read<string>('time zone') ?? ownTimeZone();
  }

  set timeZone(zone: string) {
    this.write('time zone', zone);
  }

  private read<T>(name: string): T | undefined {
    const row = this.db.prepare(`select value from setting where name = ?`).get(name) as
      | { value: string }
      | undefined;
    return row && (JSON.parse(row.value) as T);
  }

  private write(name: string, value: unknown): void {
    this.db
      .prepare(
        `insert into setting (name, value) values (?, ?) on conflict (name) do update set value = excluded.value`,
      )
      .run(name, JSON.stringify(value));
  }
}

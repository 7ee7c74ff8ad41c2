import type { NamingRule } from '@crease/core/reading';
import { NAMING_RULES } from '@crease/core/reading';
import type { Connection } from './database.ts';

/** What holds for the whole workspace. */
export class Settings {
  constructor(private readonly db: Connection) {}

  /** How columns of files are named. */
  get naming(): NamingRule {
    const row = this.db.prepare(`select value from setting where name = 'naming'`).get() as
      { value: string } | undefined;
    const value: unknown = row && JSON.parse(row.value);
    return NAMING_RULES.find((rule) => rule === value) ?? 'as they are';
  }

  set naming(rule: NamingRule) {
    this.db
      .prepare(
        `insert into setting (name, value) values ('naming', ?) on conflict (name) do update set value = excluded.value`,
      )
      .run(JSON.stringify(rule));
  }
}

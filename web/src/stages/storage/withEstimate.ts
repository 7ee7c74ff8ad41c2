import { sameName } from '@crease/core/model';
import type { Profile } from '@crease/core/storage';

/** A profile in which tables that are passed through are shown as what they would weigh. */
export function withEstimate(held: Profile, estimate: Profile | undefined): Profile {
  if (!estimate) return held;
  const tables = held.tables.map((t) =>
    t.fault === undefined ? t : (estimate.tables.find((e) => sameName(e.name, t.name)) ?? t),
  );
  const totalBytes = tables.reduce((sum, t) => sum + t.totalBytes, 0);
  const share = (bytes: number) => (totalBytes === 0 ? 0 : bytes / totalBytes);
  return {
    ...held,
    tables: tables.map((t) => ({
      ...t,
      share: share(t.totalBytes),
      columns: t.columns.map((c) => ({ ...c, share: share(c.totalBytes) })),
    })),
    totalBytes,
  };
}

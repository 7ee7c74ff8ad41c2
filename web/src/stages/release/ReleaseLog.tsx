import type { ReleaseEntry } from '@crease/contract';
import type { ReleaseTarget } from '@crease/core/model';
import { sameName } from '@crease/core/model';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count, many, moment } from '../../parts/text.ts';

/** What was released where, and a way back: an earlier release on the rows that it stood on. */
export function ReleaseLog({
  entries,
  targets,
  isBusy,
  onBack,
  onGiveUp,
}: {
  entries: readonly ReleaseEntry[];
  targets: readonly ReleaseTarget[];
  isBusy: boolean;
  onBack: (entry: ReleaseEntry) => void;
  /** Its rows are discarded. */
  onGiveUp: (entry: ReleaseEntry) => void;
}) {
  const read = entries.find((entry) => entry.kept === 'for readers');
  const canGoBack = (entry: ReleaseEntry, i: number): boolean =>
    entry.outcome === 'done' &&
    targets.some((t) => sameName(t.name, entry.target)) &&
    // The last release of a target is what stands there.
    entries.slice(0, i).some((e) => e.outcome === 'done' && sameName(e.target, entry.target));
  return (
    <details className="mt-3">
      <summary className="cursor-pointer">{many(entries.length, 'release')} so far</summary>
      <table className="grid-plain" aria-label="Releases so far">
        <thead>
          <tr>
            <th scope="col">when</th>
            <th scope="col">target</th>
            <th scope="col">what</th>
            <th scope="col">by</th>
            <th scope="col">how it ended</th>
            <th scope="col" title="Of the rows that a release stood on">
              rows
            </th>
            <th scope="col">
              <span className="sr-only">Go back</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {entries.map((entry, i) => (
            <tr key={entry.id}>
              <td className="whitespace-nowrap text-soft">
                <VerdictMark verdict={entry.outcome === 'done' ? 'holds' : 'broken'} size={10} />{' '}
                {moment(entry.at)}
              </td>
              <td>
                {entry.target}
                {entry.release !== undefined && `, number ${entry.release}`}
              </td>
              <td>
                {entry.what} of revision {entry.revision}
              </td>
              <td>{entry.author ?? ''}</td>
              <td className="break-words">
                {entry.outcome === 'done'
                  ? `${many(entry.rows ?? 0, 'row')} written in ${(entry.seconds ?? 0).toFixed(1)} s; ${count(entry.proof?.questions ?? 0)} questions compared`
                  : entry.message}
              </td>
              <td className="whitespace-nowrap">
                {entry.kept !== undefined && (
                  <>
                    {entry === read ? <b>readers see it</b> : 'kept'}
                    <button
                      className="btn btn-bare ml-1 h-[24px]"
                      title="Discards the rows that were kept of it: readers see the release before it, its target stays as it is"
                      aria-label={`Discard the rows of release ${entry.release} of ${entry.target}`}
                      onClick={() => onGiveUp(entry)}
                    >
                      ×
                    </button>
                  </>
                )}
              </td>
              <td>
                {canGoBack(entry, i) && (
                  <button
                    className="btn btn-bare h-[24px] whitespace-nowrap"
                    title="Releases this revision again, on the rows that it stood on"
                    aria-label={`Go back to number ${entry.release} of ${entry.target}`}
                    disabled={isBusy}
                    onClick={() => onBack(entry)}
                  >
                    Go back to it
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}

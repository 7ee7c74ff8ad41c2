import type { ProfileChange, WeightChange } from '@crease/core/storage';
import { useSelection } from '../../state/selection.ts';
import { bytes, count, many } from '../../parts/text.ts';

const MOST = 12;

const signed = (n: number): string => `${n >= 0 ? '+' : '−'}${bytes(Math.abs(n))}`;

/** What grew, shrank, is new or is gone since the profile that is compared with. */
export function Compared({ change, since }: { change: ProfileChange; since: string }) {
  const [, select] = useSelection();
  const { changes, tables, beforeBytes, afterBytes } = change;
  return (
    <section aria-label="Compared" className="border-b border-rule">
      <header className="flex min-h-[42px] flex-wrap items-center gap-3 border-b border-rule px-4 py-2">
        <h2 className="flex-1 text-[15px]">Since {since}</h2>
        <span className="tabular-nums">
          {bytes(beforeBytes)} → {bytes(afterBytes)}
        </span>
      </header>
      {changes.length === 0 && tables.length === 0 ? (
        <p className="px-4 py-2 text-soft">Nothing weighs anything else.</p>
      ) : (
        <table className="grid-plain" aria-label="Columns that weigh something else">
          <tbody>
            {tables.map((t) => (
              <tr key={t.name}>
                <td>{t.name}</td>
                <td className="num" colSpan={2}>
                  {t.rowsBefore === undefined
                    ? `new, ${many(t.rowsAfter!, 'row')}`
                    : t.rowsAfter === undefined
                      ? 'gone'
                      : `${count(t.rowsBefore)} → ${many(t.rowsAfter, 'row')}`}
                </td>
              </tr>
            ))}
            {changes.slice(0, MOST).map((c) => (
              <tr key={c.path}>
                <td>
                  <button
                    className="hover:underline"
                    disabled={c.after === undefined}
                    onClick={() => select({ kind: 'column', name: c.path })}
                  >
                    {c.path}
                  </button>
                </td>
                <td className="text-soft">{wordOf(c)}</td>
                <td className="num">{signed((c.after ?? 0) - (c.before ?? 0))}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {changes.length > MOST && (
        <p className="px-4 py-2 text-soft">
          {many(changes.length - MOST, 'more column')}: the list of columns shows the change of each.
        </p>
      )}
    </section>
  );
}

const wordOf = ({ before, after }: WeightChange): string =>
  before === undefined ? 'new' : after === undefined ? 'gone' : after > before ? 'grew' : 'shrank';

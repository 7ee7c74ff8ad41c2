import { useState } from 'react';
import { api } from '@crease/contract';
import type { Measure } from '@crease/core/model';
import { ask } from '../../state/api.ts';
import { useAsked } from '../../state/useAsked.ts';
import { useModel } from '../../state/model.tsx';
import { formatValue, memberText } from '../../parts/format.ts';
import { defaultAttribute } from '../trial/attributes.ts';
import { AttributePicker } from '../trial/AttributePicker.tsx';

const MOST = 40;

/**
 * The selected measure by an attribute: bars and numbers, in their own context, with the total in its own.
 */
export function MeasureValues({ measure }: { measure: Measure }) {
  const { id, model, state } = useModel();
  const [by, setBy] = useState<string | undefined>(() => defaultAttribute(model, measure.table));
  const query = {
    by: by === undefined ? [] : [by],
    measures: [measure.name],
    totals: true,
    limit: MOST,
    unmatched: 'apart' as const,
  };
  const { question, answer, error } = useAsked(['query', id, state.revision.id], query, (asked) =>
    ask(api.questions.query, { id }, { query: asked, texts: 'counting' }),
  );
  // The answer before is shown on while the attribute changes, but never under another measure's name.
  const data = question?.measures[0] === measure.name ? answer : undefined;
  const values = (data?.rows ?? []).map((row) => Number(row.at(-1) ?? 0));
  const most = Math.max(1e-12, ...values.map(Math.abs));
  const type = data?.columns.at(-1)?.type ?? 'text';
  return (
    <section aria-label="Values" className="border-b border-rule px-4 py-3">
      <div className="mb-2 flex items-center gap-2">
        <span className="text-soft">by</span>
        <AttributePicker value={by} onChange={setBy} label="Attribute of the values" />
      </div>
      {error && <p className="whitespace-pre-line text-soft">{error.message}</p>}
      {!error && data && data.unreached.length > 0 && (
        <p className="hatched p-2">
          {question?.by[0]} does not reach {measure.name}: it does not apply.
        </p>
      )}
      {!error && data && data.rows.length > 0 && (
        <div className="max-h-[320px] overflow-auto" tabIndex={0} role="region" aria-label="Values by member">
          <table className="w-full">
            <tbody>
              {data.rows.map((row, i) => (
                <tr key={i}>
                  <td className="max-w-[150px] truncate pr-2">
                    {row.length > 1 ? memberText(row[0]!, data.columns[0]!.type) : 'all'}
                  </td>
                  <td className="w-[40%]">
                    <span
                      className="block h-[9px] bg-bar"
                      style={{ width: `${(100 * Math.abs(values[i]!)) / most}%` }}
                    />
                  </td>
                  <td className="num whitespace-nowrap pl-2">
                    {formatValue(row.at(-1)!, type, measure.format)}
                  </td>
                </tr>
              ))}
            </tbody>
            <tfoot>
              <tr className="border-t border-rule-strong font-semibold">
                <td>total</td>
                <td />
                <td className="num pl-2">{formatValue(data.totals?.[0] ?? null, type, measure.format)}</td>
              </tr>
            </tfoot>
          </table>
        </div>
      )}
      {data && data.rows.length === MOST && <p className="text-soft">the first {MOST} are shown</p>}
    </section>
  );
}

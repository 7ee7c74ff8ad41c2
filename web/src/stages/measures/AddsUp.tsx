import { useState } from 'react';
import { api } from '@crease/contract';
import type { Measure } from '@crease/core/model';
import type { Additivity } from '@crease/core/query';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { formatValue } from '../../parts/format.ts';
import { many } from '../../parts/text.ts';

/** Over which dimensions a measure can be added up: what its formula says beside what its rows say. */
export function AddsUp({ measure }: { measure: Measure }) {
  const { id, state } = useModel();
  const [isOpen, setOpen] = useState(false);
  const { data, error } = useAnswer(
    api.questions.additivity,
    isOpen ? { id, measure: measure.name } : undefined,
    { of: state.revision.id },
  );
  return (
    <details
      className="border-b border-rule px-4 py-2"
      open={isOpen}
      onToggle={(e) => setOpen(e.currentTarget.open)}
    >
      <summary className="cursor-default">
        <b>Adds up over</b> {data && <span className="text-soft">{kindOf(data)}</span>}
      </summary>
      {error && <p className="mt-1 text-vermilion">{error.message}</p>}
      {isOpen && !data && !error && <p className="mt-1 text-soft">Trying it on the rows …</p>}
      {data && data.length > 0 && (
        <table className="mt-1 w-full" aria-label="Dimensions that the measure adds up over">
          <thead>
            <tr className="text-left text-[12px] text-soft">
              <th scope="col">dimension</th>
              <th scope="col">formula</th>
              <th scope="col">rows</th>
            </tr>
          </thead>
          <tbody>
            {data.map((line) => (
              <tr key={line.table} className="border-t border-rule align-top">
                <td className="py-[2px] pr-2" title={`tried by ${line.attribute}`}>
                  {line.table}
                </td>
                <td className="py-[2px] pr-2">
                  {line.read.adds}
                  {line.read.why !== undefined && <span className="text-soft">: {line.read.why}</span>}
                </td>
                <td className="py-[2px]">{triedText(line, measure)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data?.length === 0 && <p className="mt-1 text-soft">No dimension with a key reaches it.</p>}
    </details>
  );
}

/** The trade's word for it, by what was tried. */
function kindOf(lines: readonly Additivity[]): string {
  const tried = lines.filter((line) => line.tried);
  if (tried.length === 0) return 'no rows to try it on';
  const adding = tried.filter((line) => line.tried!.adds).length;
  if (adding === tried.length) return 'all of them: additive';
  return adding === 0 ? 'none of them: non-additive' : `${adding} of ${tried.length}: semi-additive`;
}

function triedText({ read, tried }: Additivity, { format }: Measure): string {
  if (!tried) return 'no rows';
  const text = (value: number) => formatValue(value, 'double', { decimals: 2, thousands: true, ...format });
  if (!tried.adds)
    return `no: ${many(tried.members, 'member')} make ${text(tried.sum)}, all ${text(tried.total)}`;
  // Read otherwise: these rows happen to add up, others need not.
  return read.adds === 'no' ? 'yes, on these rows' : 'yes';
}

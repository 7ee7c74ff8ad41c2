import { api } from '@crease/contract';
import { useModel } from '../state/model.tsx';
import { useAnswer } from '../state/useAnswer.ts';
import { formatValue, isNumeric, memberText } from '../parts/format.ts';

/** The answer of a kept trial whose question speaks of what is not shown: it can be read, and not changed. */
export function ClosedAnswer({
  of,
  name,
  title,
  onBack,
}: {
  of: { readonly model: string; readonly perspective: string; readonly release: number };
  name: string;
  title: string;
  onBack: () => void;
}) {
  const { names } = useModel();
  const { data, error } = useAnswer(api.released.trial, { ...of, trial: name });
  return (
    <section aria-label={title} className="flex min-h-0 flex-1 flex-col">
      <header className="flex items-center gap-3 border-b border-rule px-4 py-2">
        <button className="btn" onClick={onBack}>
          Back to your question
        </button>
        <b>{title}</b>
        <span className="text-soft">a kept trial; its conditions are not part of what is shown here</span>
      </header>
      {error && (
        <p role="alert" className="m-4 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          {error.message}
        </p>
      )}
      {!data && !error && <p className="p-4 text-soft">Working …</p>}
      {data && (
        <div className="min-h-0 flex-1 overflow-auto">
          <table className="grid-plain" aria-label="The answer">
            <thead className="sticky top-0 z-10 bg-leaf">
              <tr>
                {data.columns.map((c) => (
                  <th key={c.name} scope="col" className={isNumeric(c.type) ? 'num' : ''}>
                    {names.measure(c.name)?.title ??
                      names.path(c.name)?.column.title ??
                      c.name.split('.').at(-1)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.rows.map((row, i) => (
                <tr key={i}>
                  {data.columns.map((c, p) => (
                    <td key={c.name} className={isNumeric(c.type) ? 'num' : ''}>
                      {c.kind === 'measure'
                        ? formatValue(row[p]!, c.type, names.measure(c.name)?.format)
                        : memberText(row[p]!, c.type)}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

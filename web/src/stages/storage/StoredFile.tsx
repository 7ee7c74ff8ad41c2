import type { FileSizes } from '@crease/contract';
import { bytes, count, percent } from '../../parts/text.ts';

const PARTS: readonly (readonly [key: keyof FileSizes, says: string, means: string])[] = [
  ['codes', 'codes', 'of the columns above, as they are held'],
  ['dictionaries', 'dictionaries', 'of those columns; deflated where that is smaller'],
  ['beside', 'counts and lines', 'rows by value, and where each row stood in its file'],
  ['notInModel', 'not weighed', 'staging tables, and columns that the model leaves out'],
  ['keptForUndo', 'kept for undo', 'rows that were replaced or removed'],
  ['otherModels', 'other models', 'of this workspace'],
  ['rest', 'the rest', 'models, revisions, verdicts, and room that is free again'],
];

/** What the workspace's file holds: it adds up to its size. What is above is as it is held in memory. */
export function StoredFile({ file }: { file: FileSizes }) {
  return (
    <section aria-label="In the workspace's file" className="border-t border-rule px-4 py-3">
      <h2 className="text-[14px]">
        Stored in the workspace’s file:{' '}
        <span title={`${count(file.fileBytes)} bytes`}>{bytes(file.fileBytes)}</span>
      </h2>
      <table className="mt-1">
        <tbody>
          {PARTS.map(([key, says, means]) => (
            <tr key={key}>
              <th scope="row" className="pr-4 text-left font-normal">
                {says}
              </th>
              <td className="num pr-4" title={`${count(file[key])} bytes`}>
                {bytes(file[key])}
              </td>
              <td className="num pr-4 text-soft">{percent(file[key] / file.fileBytes)}</td>
              <td className="text-soft">{means}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { api } from '@crease/contract';
import type { Query } from '@crease/core/model';
import type { ScanStage } from '@crease/core/query';
import { ask } from '../../state/api.ts';
import { useModel } from '../../state/model.tsx';
import { useAsked } from '../../state/useAsked.ts';
import { count, many } from '../../parts/text.ts';

const ms = (time: number): string => `${time < 10 ? time.toFixed(1) : Math.round(time)} ms`;

/** How a question is worked out: each pass over rows, with what the conditions left and how long it took. */
export function HowWorkedOut({ query }: { query: Query }) {
  return (
    <Disclosure as="section" className="border-b border-rule px-4 py-2" aria-label="How it was worked out">
      {({ open }) => (
        <>
          <DisclosureButton className="rowlink flex items-baseline gap-2 py-[3px]">
            <span aria-hidden data-mark>
              {open ? '▾' : '▸'}
            </span>
            How it was worked out
          </DisclosureButton>
          <DisclosurePanel>
            <Stages query={query} />
          </DisclosurePanel>
        </>
      )}
    </Disclosure>
  );
}

/** Asked only where somebody looks. */
function Stages({ query }: { query: Query }) {
  const { id, state } = useModel();
  const { answer, error, isCurrent } = useAsked(
    ['explain', id, state.revision.id],
    { query },
    (body, signal) => ask(api.questions.explain, { id }, body, signal),
  );
  if (error) return <p className="py-1 text-vermilion">{error.message}</p>;
  if (!answer || !isCurrent) return <p className="py-1 text-soft">Working …</p>;
  return (
    <>
      <ol className="list-decimal pl-5">
        {answer.stages.map((stage, i) => (
          <li key={i} className="py-1">
            <StageText stage={stage} />
          </li>
        ))}
      </ol>
      <p className="py-1 text-soft">
        Checking, members and order {ms(answer.restMs)}; {ms(answer.elapsedMs)} in all
      </p>
    </>
  );
}

function StageText({ stage }: { stage: ScanStage }) {
  const { table, rows, left, by, where, groups, executor, because, prepareMs, scanMs } = stage;
  const columns = (word: string, names: readonly string[]) =>
    names.length > 0 && (
      <>
        {' '}
        {word} <span className="code">{[...new Set(names)].join(', ')}</span>
      </>
    );
  return (
    <>
      <span className="code">{table}</span>: {many(rows, 'row')}, {count(left)} left
      {columns('by', by)}
      {columns('where', where)}
      <p className="text-soft">
        {many(groups, 'group')}
        {executor === 'laid out' ? `; row by row: ${because}` : ''}; prepared in {ms(prepareMs)}, scanned in{' '}
        {ms(scanMs)}
      </p>
    </>
  );
}

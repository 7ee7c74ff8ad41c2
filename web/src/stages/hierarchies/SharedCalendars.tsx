import type { CalendarsState } from '@crease/contract';
import { api } from '@crease/contract';
import type { Calendar } from '@crease/core/calendar';
import { followedBy } from '@crease/core/calendar';
import { sameName } from '@crease/core/model';
import { Link } from 'react-router';
import { ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { useModel } from '../../state/model.tsx';
import { many } from '../../parts/text.ts';

/** Calendars that this model has from others, or they from it. */
export function useSharedCalendars() {
  const { id } = useModel();
  return useAnswer(api.calendars.get, { id }, { revalidateOnFocus: true });
}

/** Says that a calendar follows another model's, and offers to end that. */
export function LinkNote({ calendar }: { calendar: Calendar }) {
  const { id, edit, fail } = useModel();
  const { data, mutate } = useSharedCalendars();
  const link = data?.links.find((l) => l.table === calendar.table);
  if (!calendar.follows || !link) return null;
  const { follows: _, ...own } = calendar;
  const follow = async () => {
    try {
      await mutate(await ask(api.calendars.follow, { id, table: calendar.table }), { revalidate: false });
    } catch (error) {
      fail(error);
    }
  };
  return (
    <p className="mb-2 flex flex-wrap items-center gap-2 border-l-4 border-slate px-3 py-1.5">
      <span className="flex-1">
        {link.model === null ? (
          <>
            It followed <b>{calendar.follows.table}</b> of {link.title}, which is not in this workspace any
            more. It stays as it was.
          </>
        ) : (
          <>
            It follows <b>{calendar.follows.table}</b> of{' '}
            <Link to={`/m/${link.model}/hierarchies?view=calendars`}>{link.title}</Link>. Changes there are
            applied here.
            {!link.inStep && ' It is out of date.'}
          </>
        )}
      </span>
      {link.model !== null && !link.inStep && (
        <button className="btn h-[24px]" onClick={() => void follow()}>
          Update
        </button>
      )}
      <button
        className="btn h-[24px]"
        onClick={() =>
          void edit(
            [{ do: 'put-calendar', value: own }],
            `detach ${calendar.table} from the calendar that it follows`,
          )
        }
      >
        Detach
      </button>
    </p>
  );
}

/** Calendars of other models of the workspace, to be linked or copied. */
export function OfferedCalendars() {
  const { id, state, model, fail, tell } = useModel();
  const { data } = useSharedCalendars();
  const links = data?.links ?? [];
  const isLinked = (of: CalendarsState['offered'][number]) =>
    links.some((l) => l.model === of.model && sameName(followedBy(model, l.table)?.table ?? '', of.table));
  const offered = (data?.offered ?? []).filter((of) => !isLinked(of));
  if (offered.length === 0) return null;
  const take = async (of: (typeof offered)[number], how: 'link' | 'copy') => {
    try {
      await ask(
        api.calendars.take,
        { id },
        { base: state.revision.id, model: of.model, table: of.table, how },
      );
      tell({
        tone: 'plain',
        text: `${how === 'link' ? 'Linked' : 'Copied'} ${of.table} of ${of.title}`,
        undo: true,
      });
    } catch (error) {
      fail(error);
    }
  };
  return (
    <section aria-label="Calendars of other models" className="border-b border-rule px-4 py-3">
      <h2 className="mb-1 text-[15px]">Calendars of other models</h2>
      <p className="mb-2 text-soft">
        A link follows changes of the calendar there, rows included. A copy is {model.title ?? model.name}
        ’s own.
      </p>
      <ul>
        {offered.map((of) => (
          <li key={`${of.model}.${of.table}`} className="flex items-center gap-3 py-1">
            <span className="flex-1">
              <b>{of.table}</b> of {of.title}
              <span className="text-soft">
                , day {of.day}
                {of.rows === null ? '' : `, ${many(of.rows, 'row')}`}
              </span>
            </span>
            <button className="btn h-[24px]" onClick={() => void take(of, 'link')}>
              Link
            </button>
            <button className="btn h-[24px]" onClick={() => void take(of, 'copy')}>
              Copy
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

import { useEffect } from 'react';
import { Link, useParams } from 'react-router';
import { api } from '@crease/contract';
import type { ReleasedSummary } from '@crease/contract';
import { sameName } from '@crease/core/model';
import { moment } from '../parts/text.ts';
import { useAnswer } from '../state/useAnswer.ts';
import '../frame/theme.ts';

/** The released models and their perspectives, or those of one model: where readers begin. */
export function RoomHome() {
  const { model: asked } = useParams();
  const { data, error } = useAnswer(api.released.list, {}, { revalidateOnFocus: true });
  useEffect(() => {
    document.title = 'Reading room · Crease';
  }, []);
  const isAsked = ({ id, name }: ReleasedSummary) =>
    asked === undefined || String(id) === asked || sameName(name, asked);
  const shown = (data ?? []).filter(isAsked);
  /** Whether a name leads to one model only: a name of digits would be read as a number. */
  const isOwnName = (name: string) =>
    !/^\d+$/.test(name) && (data ?? []).filter((other) => sameName(other.name, name)).length === 1;
  return (
    <main className="mx-auto flex min-h-full max-w-[760px] flex-col px-6 py-10">
      <header className="mb-6 flex items-center gap-4">
        <img src="/mark.svg" width={36} height={36} alt="" />
        <div>
          <h1 className="text-[22px] leading-7">Reading room</h1>
          <p className="font-serif text-[14px] text-soft">Models that were released, to ask and to read.</p>
        </div>
      </header>
      {error && (
        <p role="alert" className="border-l-4 border-vermilion bg-vermilion-wash px-3 py-2">
          {error.message}
        </p>
      )}
      {data && shown.length === 0 && (
        <p className="border border-rule-strong bg-leaf p-6 font-serif text-soft">
          {asked === undefined
            ? 'Nothing has been released yet. A model is shown here once it has been released to one of its targets.'
            : `No release of ${asked} can be seen here.`}
        </p>
      )}
      {shown.map(({ id, title, name, description, release, perspectives }) => (
        <section key={id} aria-label={title} className="mb-4 border border-rule-strong bg-leaf">
          <header className="border-b border-rule px-4 py-3">
            <h2 className="text-[16px]">{title}</h2>
            {description !== undefined && <p className="mt-1 max-w-[70ch]">{description}</p>}
            <p className="mt-1 text-soft">
              release {release.number}, {moment(release.at)}
              {release.author !== undefined && `, by ${release.author}`}
            </p>
          </header>
          <ul>
            {perspectives.map((p) => (
              <li key={p.name} className="border-b border-rule last:border-b-0">
                <Link
                  className="rowlink block px-4 py-2 font-semibold"
                  to={`/r/${isOwnName(name) ? encodeURIComponent(name) : id}/${encodeURIComponent(p.name)}`}
                >
                  {p.title}
                </Link>
              </li>
            ))}
          </ul>
        </section>
      ))}
    </main>
  );
}

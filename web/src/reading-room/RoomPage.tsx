import { useEffect } from 'react';
import { Link, useParams } from 'react-router';
import type { ReleasedState, ReleaseOfReaders } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { Lost } from '../frame/Lost.tsx';
import { moment } from '../parts/text.ts';
import { useAnswer } from '../state/useAnswer.ts';
import { ReaderProvider } from './ReaderProvider.tsx';
import { RoomTrial } from './RoomTrial.tsx';
import '../frame/theme.ts';

/** How often it is asked whether there is a newer release. */
const ASK_AGAIN_MS = 30_000;

/** A released model by one of its perspectives: asked and read, and never changed. */
export function RoomPage() {
  const { model = '', perspective = '' } = useParams();
  const of = { model, perspective };
  const { data: released, error, mutate } = useAnswer(api.released.get, of);
  const title = released && `${released.model.title ?? released.model.name}: ${released.perspective.title}`;
  useEffect(() => {
    document.title = `${title ?? 'Reading room'} · Crease`;
  }, [title]);
  if (error && !released) return <Lost reason={error} />;
  if (!released) return <p className="p-8 text-soft">Opening …</p>;
  return (
    // What was asked of one release is not answered by the next.
    <ReaderProvider key={released.release.id} model={model} released={released}>
      <div className="flex h-full min-h-0 flex-col">
        <RoomHeader of={of} released={released} />
        <Newer of={of} shown={released.release} onShow={() => void mutate()} />
        <RoomTrial of={{ ...of, release: released.release.id }} closed={released.closedTrials} />
      </div>
    </ReaderProvider>
  );
}

interface Of {
  readonly model: string;
  readonly perspective: string;
}

function RoomHeader({ of, released: { model, perspective, release } }: { of: Of; released: ReleasedState }) {
  return (
    <header className="no-print flex min-h-[46px] shrink-0 flex-wrap items-center gap-x-3 border-b border-rule-strong bg-paper px-4">
      <Link to="/r" aria-label="Reading room" title="Reading room: all released models">
        <img src="/mark.svg" width={22} height={22} alt="" />
      </Link>
      <h1 className="text-[16px]">{model.title ?? model.name}</h1>
      <span>{perspective.title}</span>
      <span className="text-soft">
        release {release.number}, {moment(release.at)}
        {release.author !== undefined && `, by ${release.author}`}; periods count from {release.day}
      </span>
      <span className="flex-1" />
      <a
        className="btn"
        target="_blank"
        rel="noreferrer"
        href={`/api${addressOf(api.released.catalogue, { ...of, release: release.id })}`}
      >
        Catalogue
      </a>
    </header>
  );
}

/** Tells of a newer release; what is shown stays until somebody wants it. */
function Newer({ of, shown, onShow }: { of: Of; shown: ReleaseOfReaders; onShow: () => void }) {
  const { data: newest, error } = useAnswer(api.released.newest, of, {
    refreshInterval: ASK_AGAIN_MS,
    revalidateOnFocus: true,
  });
  if (error)
    return (
      <p role="status" className="border-b border-rule bg-vermilion-wash px-4 py-1">
        {error.message}
      </p>
    );
  if (newest === undefined || newest.id === shown.id) return null;
  return (
    <p role="status" className="flex items-center gap-3 border-b border-rule-strong bg-raised px-4 py-1">
      Release {newest.number} of {moment(newest.at)} is available; you see release {shown.number}.
      <button className="btn h-[24px]" onClick={onShow}>
        Show it
      </button>
    </p>
  );
}

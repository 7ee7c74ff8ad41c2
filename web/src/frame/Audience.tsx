import { useAddress } from '../state/address.ts';
import { useModel } from '../state/model.tsx';

/** Looks through the eyes of an audience, or of the modeler; a question that was asked as another is left. */
function useLookAs(): (name: string) => void {
  const [, change] = useAddress();
  return (name) =>
    change((next) => {
      for (const key of ['q', 'rows', 'beside']) next.delete(key);
      if (name === '') next.delete('as');
      else next.set('as', name);
    });
}

/** Through whose eyes the model is looked at, on every stage. */
export function AudienceChoice() {
  const { whole, audience } = useModel();
  const lookAs = useLookAs();
  const perspectives = whole.perspectives ?? [];
  if (perspectives.length === 0) return null;
  return (
    <select
      className="field max-w-[160px]"
      value={audience?.name ?? ''}
      onChange={(e) => lookAs(e.target.value)}
      aria-label="Audience"
      title="Seen as"
    >
      <option value="">as modeler</option>
      {perspectives.map((p) => (
        <option key={p.name} value={p.name}>
          as {p.title ?? p.name}
        </option>
      ))}
    </select>
  );
}

/** Says that not all of the model is seen, and how to see all of it again. */
export function SeenAs() {
  const { audience } = useModel();
  const lookAs = useLookAs();
  if (!audience) return null;
  return (
    <p className="no-print flex shrink-0 items-center gap-3 border-b border-rule-strong bg-raised px-4 py-1">
      <span>
        Seen as <b>{audience.title ?? audience.name}</b>: what is not shown to them is left out, and nothing
        can be changed.
      </span>
      <button className="btn btn-bare underline" onClick={() => lookAs('')}>
        See all as the modeler
      </button>
    </p>
  );
}

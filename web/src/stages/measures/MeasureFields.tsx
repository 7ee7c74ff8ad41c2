import type { Measure } from '@crease/core/model';

/** What the measure is called, and the folder that it lies in. */
export function NameFields({
  draft,
  setDraft,
}: {
  draft: Measure;
  setDraft: (by: (draft: Measure) => Measure) => void;
}) {
  return (
    <div className="mb-2 flex gap-2">
      <input
        className="field flex-1 font-semibold"
        placeholder="Name of the measure"
        aria-label="Name of the measure"
        value={draft.name}
        onChange={(e) => setDraft((d) => ({ ...d, name: e.target.value }))}
      />
      <input
        className="field w-[130px]"
        placeholder="folder"
        aria-label="Folder"
        value={draft.folder ?? ''}
        onChange={(e) => setDraft((d) => ({ ...d, folder: e.target.value || undefined }))}
      />
    </div>
  );
}

/** What readers see: title and description. */
export function TitleFields({
  draft,
  setDraft,
}: {
  draft: Measure;
  setDraft: (by: (draft: Measure) => Measure) => void;
}) {
  return (
    <div className="mt-3 flex gap-2">
      <input
        className="field w-[200px]"
        placeholder="title"
        aria-label="Title"
        value={draft.title ?? ''}
        onChange={(e) => setDraft((d) => ({ ...d, title: e.target.value || undefined }))}
      />
      <input
        className="field flex-1"
        placeholder="description"
        aria-label="Description"
        value={draft.description ?? ''}
        onChange={(e) => setDraft((d) => ({ ...d, description: e.target.value || undefined }))}
      />
    </div>
  );
}

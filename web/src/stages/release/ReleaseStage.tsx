import type { ReleaseState } from '@crease/contract';
import { useState } from 'react';
import { Download, FolderInput } from 'lucide-react';
import { addressOf, api } from '@crease/contract';
import type { JudgedClaim } from '@crease/core/claims';
import { ApiError, ask } from '../../state/api.ts';
import { useAnswer } from '../../state/useAnswer.ts';
import { identityOf } from '../../state/identity.ts';
import { useModel } from '../../state/model.tsx';
import { saveFile } from '../../state/save.ts';
import { useSelection } from '../../state/selection.ts';
import { LeafHead, Leaves } from '../../frame/Leaves.tsx';
import { EvidenceLeaf } from '../../evidence/EvidenceLeaf.tsx';
import { ClaimLine } from '../../evidence/ClaimCard.tsx';
import { JudgingFailed } from '../../evidence/JudgingFailed.tsx';
import { drawnAtOnce, InChunks } from '../../parts/InChunks.tsx';
import { VerdictMark } from '../../parts/Marks.tsx';
import { count, many } from '../../parts/text.ts';
import { History } from './History.tsx';
import { Targets } from './Targets.tsx';

const DIALECTS = [
  ['postgresql', 'PostgreSQL'],
  ['sqlite', 'SQLite'],
  ['sql', 'core SQL'],
] as const;

/** What stands against a release, what leaves the house, and the history. */
export function ReleaseStage() {
  const { id, claims, state, audience } = useModel();
  const [selection] = useSelection();
  // Verdicts of other rows may be as many as before, and of other claims.
  const { data } = useAnswer(api.release.get, { id }, { of: identityOf(claims), keepPreviousData: true });
  const { data: history } = useAnswer(
    api.models.history,
    { id },
    { of: state.revision.id, keepPreviousData: true },
  );
  const [dialect, setDialect] = useState<string>('postgresql');
  const [ddl, setDdl] = useState<{ text?: string; fault?: string }>();
  const write = async (save: boolean) => {
    try {
      const text = await ask(api.release.definitions, { id, dialect });
      setDdl({ text });
      if (save) saveFile(`${state.model.name}.${dialect}.sql`, text, 'text/plain');
    } catch (reason) {
      if (!(reason instanceof ApiError)) throw reason;
      setDdl({ fault: reason.message });
    }
  };
  const design = (
    <>
      <ReleaseHead data={data} />
      <div className="min-h-0 flex-1 overflow-auto">
        <section className="border-b border-rule px-4 py-4" aria-label="Exports">
          <Exports dialect={dialect} setDialect={setDialect} setDdl={setDdl} write={write} data={data} />
          <JudgingFailed failure={data?.failure} />
          {ddl?.fault !== undefined && (
            <p
              role="alert"
              className="mt-3 flex items-center gap-2 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2"
            >
              <VerdictMark verdict="broken" /> {ddl.fault}
            </p>
          )}
          {ddl?.text !== undefined && (
            <pre
              className="code mt-3 max-h-[300px] overflow-auto border border-rule bg-raised p-3"
              aria-label="Definitions"
            >
              {ddl.text}
            </pre>
          )}
        </section>
        {!audience && <Targets isReady={data?.ready ?? false} />}
        {data && <ClaimGroups data={data} />}
      </div>
    </>
  );
  return (
    <Leaves
      label="Release"
      design={design}
      evidence={
        <EvidenceLeaf overview={false}>{!selection && <History entries={history ?? []} />}</EvidenceLeaf>
      }
    />
  );
}

/** Reads a model file that was exported and edited into this model, as a revision of its own; rows stay. */
function ReadInto() {
  const { id, state, fail, tell } = useModel();
  const read = async (file: File | undefined) => {
    if (!file) return;
    try {
      await ask(api.models.importInto, { id }, { base: state.revision.id, text: await file.text() });
      tell({ tone: 'plain', text: `${file.name} imported into this model; its rows stay`, undo: true });
    } catch (reason) {
      fail(reason);
    }
  };
  return (
    <>
      <input
        id="read-into"
        type="file"
        accept=".json"
        className="sr-only"
        onChange={(e) => {
          void read(e.target.files?.[0]);
          e.target.value = '';
        }}
      />
      <label htmlFor="read-into" className="btn cursor-pointer" title="As a new revision; its rows stay">
        <FolderInput size={13} aria-hidden /> Import into this model
      </label>
    </>
  );
}

/** About how high a claim is in these lists, in pixels. */
const ROW_HEIGHT = 29;

/** What stands against a release, what warns, and what somebody let stand. */
function ClaimGroups({ data }: { data: ReleaseState }) {
  const groups = [
    {
      title: 'Blocking a release',
      list: data.blocking,
      empty: data.done ? 'Nothing blocks a release.' : 'The claims are still being judged.',
    },
    { title: 'Without a verdict', list: data.unjudged },
    { title: 'Warnings', list: data.warning, empty: 'No warnings.' },
    { title: 'Waived with a reason', list: data.waived },
  ].filter(({ list, empty }) => list.length > 0 || empty !== undefined);
  const drawn = drawnAtOnce(groups.map(({ list }) => list.length));
  return groups.map((group, i) => <ClaimGroup key={group.title} {...group} drawn={drawn[i]!} />);
}

function ClaimGroup({
  title,
  list,
  empty,
  drawn,
}: {
  title: string;
  list: readonly JudgedClaim[];
  empty?: string;
  drawn: number;
}) {
  const [selection, select] = useSelection();
  return (
    <section className="border-b border-rule" aria-label={title}>
      <h2 className="eyebrow border-b border-rule bg-paper px-4 py-1 font-sans">
        {title} · {count(list.length)}
      </h2>
      {list.length === 0 && <p className="px-4 py-2 text-soft">{empty}</p>}
      <InChunks list={list} rowHeight={ROW_HEIGHT} drawn={drawn}>
        {(claim, i) => (
          <button
            key={`${claim.id}${i}`}
            className="rowlink px-4 py-[4px]"
            aria-current={selection?.kind === 'claim' && selection.name === claim.id}
            onClick={() => select({ kind: 'claim', name: claim.id })}
          >
            <ClaimLine claim={claim} plain />
          </button>
        )}
      </InChunks>
    </section>
  );
}

/** Whether the model is ready to be released. */
function ReleaseHead({ data }: { data: ReleaseState | undefined }) {
  const { claims } = useModel();
  return (
    <LeafHead
      title="Release"
      note={
        data
          ? data.ready
            ? (claims?.summary.unchecked ?? 0) > 0
              ? `ready as designed: ${many(claims!.summary.unchecked, 'claim')} ${claims!.summary.unchecked === 1 ? 'has' : 'have'} no rows to be judged on`
              : 'ready: every blocking claim holds or is waived'
            : data.failure !== undefined
              ? 'the claims could not be judged'
              : data.done
                ? `${many(data.blocking.length + data.unjudged.length, 'claim')} ${data.blocking.length + data.unjudged.length === 1 ? 'stands' : 'stand'} against it`
                : 'the claims are being judged'
          : ''
      }
    />
  );
}

/** Files to have of the model. */
function Exports({
  dialect,
  setDialect,
  setDdl,
  write,
  data,
}: {
  dialect: string;
  setDialect: (next: string) => void;
  setDdl: (next: { text?: string; fault?: string } | undefined) => void;
  write: (save: boolean) => Promise<void>;
  data: ReleaseState | undefined;
}) {
  const { id } = useModel();
  return (
    <div className="grid grid-cols-[1fr_auto] items-center gap-3">
      <p>
        <b>Model file.</b>{' '}
        <span className="text-soft">
          The whole model as text, for version control and for a check in a pipeline. Always available.
        </span>
      </p>
      <span className="flex gap-2 justify-self-end">
        <ReadInto />
        <a className="btn" href={`/api/models/${id}/release/model`}>
          <Download size={13} aria-hidden /> Model file
        </a>
      </span>
      <p>
        <b>Catalogue.</b>{' '}
        <span className="text-soft">
          What everything is, with verdicts and weights, to read and to print; no value of the data.
        </span>
      </p>
      <span className="flex gap-2 justify-self-end">
        <a className="btn" href={`/api${addressOf(api.release.catalogue, { id, as: 'md' })}`}>
          <Download size={13} aria-hidden /> Markdown
        </a>
        <a className="btn" href={`/api${addressOf(api.release.catalogue, { id })}`}>
          <Download size={13} aria-hidden /> HTML page
        </a>
      </span>
      <p>
        <b>Definitions.</b>{' '}
        <span className="text-soft">
          CREATE TABLE with keys and foreign keys; refused while a blocking claim is broken and not waived.
        </span>
      </p>
      <span className="flex gap-2">
        <select
          className="field"
          value={dialect}
          aria-label="Dialect"
          onChange={(e) => {
            setDialect(e.target.value);
            setDdl(undefined);
          }}
        >
          {DIALECTS.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
        <button className="btn" onClick={() => void write(false)}>
          Show
        </button>
        <button className={`btn ${data?.ready ? 'btn-act' : ''}`} onClick={() => void write(true)}>
          <Download size={13} aria-hidden /> Definitions
        </button>
      </span>
    </div>
  );
}

import { Columns2 } from 'lucide-react';
import type { QueryState } from '@crease/contract';
import { addressOf, api } from '@crease/contract';
import { useModel } from '../../state/model.tsx';
import { LeafHead } from '../../frame/Leaves.tsx';
import { IconButton } from '../../parts/IconButton.tsx';
import { AnswerTools } from './AnswerTools.tsx';
import type { AnswerSettings } from './answerSettings.ts';
import { KeptTrials } from './KeptTrials.tsx';
import type { TrialAddress } from './trialAddress.ts';
import { VIEWS } from './trialAddress.ts';

/** The head of a trial: how the answer is seen, kept trials, and what is done with the answer. */
export function TrialHead({
  address,
  answer,
  note,
  settings,
  onSettings,
}: {
  address: TrialAddress;
  answer: QueryState | undefined;
  note: string;
  settings: AnswerSettings;
  onSettings: (settings: AnswerSettings) => void;
}) {
  const { id } = useModel();
  const { set, query, view, chart } = address;
  return (
    <LeafHead title="Trial" note={note}>
      <span className="flex" role="tablist" aria-label="View of the answer">
        {VIEWS.map(({ name, title, Icon }) => (
          <button
            key={name}
            role="tab"
            aria-selected={name === view.name}
            className={`btn ${name === view.name ? 'bg-ink text-leaf' : ''}`}
            onClick={() => set({ view: name === 'table' ? undefined : name })}
          >
            <Icon size={13} aria-hidden /> {title}
          </button>
        ))}
      </span>
      <KeptTrials query={query} view={view.name} chart={chart} onOpen={address.open} />
      <IconButton
        label="Compare with another question"
        disabled={!answer}
        onClick={() => set({ beside: JSON.stringify(query), view: undefined })}
      >
        <Columns2 size={14} aria-hidden />
      </IconButton>
      <AnswerTools
        answer={answer}
        settings={settings}
        onSettings={onSettings}
        parquet={`/api${addressOf(api.questions.answerFile, { id, q: JSON.stringify(query), as: 'parquet' })}`}
      />
    </LeafHead>
  );
}

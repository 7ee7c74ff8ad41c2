import { useState } from 'react';
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react';
import { Copy, Download, SlidersHorizontal } from 'lucide-react';
import type { QueryState } from '@crease/contract';
import { answerCsv } from '@crease/core/interchange';
import { saveFile } from '../../state/save.ts';
import { useModel } from '../../state/model.tsx';
import { IconButton } from '../../parts/IconButton.tsx';
import type { AnswerSettings } from './answerSettings.ts';

interface Props {
  readonly answer: QueryState | undefined;
  readonly settings: AnswerSettings;
  readonly onSettings: (settings: AnswerSettings) => void;
  /** Where the answer is had as Parquet. */
  readonly parquet?: string | undefined;
}

/** Copies and saves an answer, with a choice of how its cells are written and its texts sorted. */
export function AnswerTools({ answer, settings, onSettings, parquet }: Props) {
  const { model, tell, fail } = useModel();
  const set = (change: Partial<AnswerSettings>) => onSettings({ ...settings, ...change });
  const copy = () => {
    const text = answerCsv(answer!, { ...settings, delimiter: '\t' });
    void navigator.clipboard
      .writeText(text)
      .then(() => tell({ tone: 'plain', text: 'Answer copied to the clipboard' }), fail);
  };
  const save = () => saveFile(`${model.name}.trial.csv`, answerCsv(answer!, settings), 'text/csv');
  const saveJson = () => {
    const { elapsedMs: _elapsed, ...whole } = answer!;
    saveFile(`${model.name}.trial.json`, JSON.stringify(whole, null, 1), 'application/json');
  };
  return (
    <>
      <IconButton label="Copy the answer" onClick={copy} disabled={!answer}>
        <Copy size={14} aria-hidden />
      </IconButton>
      <IconButton label="Save as CSV" onClick={save} disabled={!answer}>
        <Download size={14} aria-hidden />
      </IconButton>
      <Popover className="relative">
        <PopoverButton
          className="btn btn-bare"
          aria-label="Options of the answer"
          title="Options of the answer"
        >
          <SlidersHorizontal size={14} aria-hidden />
        </PopoverButton>
        <PopoverPanel
          anchor="bottom end"
          className="z-40 flex w-[300px] flex-col gap-2 border border-ink bg-raised p-3 text-[13px]"
        >
          <Check
            label="Sort numbers in texts by value (2 before 10)"
            checked={settings.texts === 'counting'}
            onChange={(on) => set({ texts: on ? 'counting' : 'code points' })}
          />
          <h3 className="mt-1 font-semibold">Copy and save</h3>
          <p className="flex items-center gap-3">
            <button className="btn h-[24px]" disabled={!answer} onClick={saveJson}>
              Save as JSON
            </button>
            {parquet !== undefined && answer && (
              <a className="btn h-[24px]" href={parquet}>
                Save as Parquet
              </a>
            )}
          </p>
          <Word label="Text for null" value={settings.null ?? ''} onChange={(text) => set({ null: text })} />
          <Word
            label="Text for does not apply"
            value={settings.doesNotApply ?? ''}
            onChange={(text) => set({ doesNotApply: text })}
          />
          <Check
            label="Totals as the last line"
            checked={settings.totals ?? false}
            onChange={(totals) => set({ totals })}
          />
          <Check
            label="For a spreadsheet: mark texts that look like formulas with an apostrophe"
            checked={settings.spreadsheet ?? false}
            onChange={(spreadsheet) => set({ spreadsheet })}
          />
        </PopoverPanel>
      </Popover>
    </>
  );
}

function Check(props: { label: string; checked: boolean; onChange: (on: boolean) => void }) {
  return (
    <label className="flex items-start gap-2">
      <input
        type="checkbox"
        className="mt-[3px]"
        checked={props.checked}
        onChange={(e) => props.onChange(e.target.checked)}
      />
      {props.label}
    </label>
  );
}

function Word(props: { label: string; value: string; onChange: (text: string) => void }) {
  const [text, setText] = useState(props.value);
  return (
    <label className="flex items-center justify-between gap-2">
      {props.label}
      <input
        className="field w-[120px]"
        value={text}
        maxLength={40}
        onChange={(e) => {
          setText(e.target.value);
          props.onChange(e.target.value);
        }}
      />
    </label>
  );
}

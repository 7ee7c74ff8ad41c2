import { useEffect, useMemo, useRef, useState } from 'react';
import type { CompletionSource } from '@codemirror/autocomplete';
import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap } from '@codemirror/view';
import { readSentence, writeSentence } from '@crease/core/interchange';
import type { Query } from '@crease/core/model';
import { useModel } from '../../../state/model.tsx';
import { editorLook } from '../../../parts/editorLook.ts';
import { completeSentence } from './completion.ts';

/** The pause after the last key before the question is asked, in milliseconds. */
const PAUSE_MS = 150;

/**
 * The question as text. It is asked while one types, as soon as it can be read; until then the answer stands,
 * and what is wrong is said below with its place marked.
 */
export default function WrittenQuestion({
  query,
  onAsk,
  onDone,
}: {
  query: Query;
  onAsk: (query: Query) => void;
  onDone: () => void;
}) {
  const { whole: model, measures, audience } = useModel();
  const [text, setText] = useState(() => writeSentence(query));
  // Of measures those that are seen, with those of families; of tables all, for the roles that they have.
  const read = useMemo(
    () => readSentence(text, { ...model, measures: [...measures], periodFamilies: [] }, query),
    [text, model, measures, query],
  );
  /** The question that this text asked last, or began with. */
  const posed = useRef(JSON.stringify(query));
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef({ model, measures, audience, onAsk, onDone, query, read });
  useEffect(() => {
    latest.current = { model, measures, audience, onAsk, onDone, query, read };
  });

  /** Asks what is written and goes back to the parts; what cannot be read is left only by giving up. */
  const finish = useRef((_givenUp?: boolean): void => undefined);
  useEffect(() => {
    finish.current = (givenUp = false) => {
      if (read.faults.length > 0 && !givenUp) return;
      if (read.faults.length === 0 && JSON.stringify(read.query) !== JSON.stringify(query)) onAsk(read.query);
      onDone();
    };
  });

  useEffect(() => {
    const editor = sentenceEditor(host.current!, text, {
      complete: completeSentence(() => latest.current),
      finish: (givenUp) => finish.current(givenUp),
      onText: setText,
    });
    view.current = editor;
    editor.focus();
    return () => editor.destroy();
  }, []); // oxlint-disable-line react/exhaustive-deps

  useEffect(() => {
    const editor = view.current;
    if (!editor || editor.state.doc.toString() !== text) return;
    const { length } = editor.state.doc;
    editor.dispatch(
      setDiagnostics(
        editor.state,
        read.faults.map(({ start, end, message }) => ({
          from: Math.min(start, length),
          to: Math.min(Math.max(end, start + 1), length),
          severity: 'error',
          message,
        })),
      ),
    );
    if (read.faults.length > 0) return;
    const timer = setTimeout(() => {
      const { query: asked, onAsk: pose } = latest.current;
      if (JSON.stringify(asked) === JSON.stringify(read.query)) return;
      posed.current = JSON.stringify(read.query);
      pose(read.query);
    }, PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text, read]);

  // A question that is changed elsewhere (by a heading, by going back) is written anew.
  useEffect(() => {
    const editor = view.current;
    if (!editor || JSON.stringify(query) === posed.current) return;
    posed.current = JSON.stringify(query);
    const insert = writeSentence(query);
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert } });
  }, [query]);

  const [fault] = read.faults;
  return (
    <div className="min-w-0 flex-1">
      <div className="flex items-start gap-2">
        <div ref={host} className="min-w-0 flex-1" />
        <button
          className="btn font-sans text-[13px]"
          disabled={read.faults.length > 0}
          onClick={() => finish.current()}
        >
          Done
        </button>
      </div>
      <p role="status" className="mt-1 min-h-[18px] font-sans text-[12px] text-soft">
        {fault
          ? `${fault.message} (column ${fault.start + 1}); the answer below is of the question before. Esc discards this`
          : 'Ctrl+Space completes; Enter or Esc goes back to the parts.'}
      </p>
    </div>
  );
}

/** An editor of one question: Enter ends it, Escape gives it up, and what is shown can be taken at once. */
function sentenceEditor(
  parent: HTMLElement,
  doc: string,
  {
    complete,
    finish,
    onText,
  }: { complete: CompletionSource; finish: (givenUp: boolean) => void; onText: (text: string) => void },
): EditorView {
  return new EditorView({
    parent,
    state: EditorState.create({
      doc,
      selection: { anchor: doc.length },
      extensions: [
        EditorView.theme({ '.cm-scroller': { minHeight: '0' } }),
        editorLook,
        history(),
        closeBrackets(),
        EditorView.lineWrapping,
        autocompletion({ override: [complete], icons: false, interactionDelay: 0 }),
        keymap.of([
          ...completionKeymap,
          { key: 'Enter', run: () => (finish(false), true) },
          { key: 'Escape', run: () => (finish(true), true) },
          ...defaultKeymap,
          ...historyKeymap,
        ]),
        EditorView.contentAttributes.of({ 'aria-label': 'The question in words' }),
        EditorView.updateListener.of((u) => u.docChanged && onText(u.state.doc.toString())),
      ],
    }),
  });
}

import { useEffect, useRef } from 'react';
import { autocompletion, closeBrackets } from '@codemirror/autocomplete';
import type { Completion, CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { lintGutter, setDiagnostics } from '@codemirror/lint';
import { EditorState } from '@codemirror/state';
import {
  Decoration,
  EditorView,
  hoverTooltip,
  keymap,
  placeholder as placeholderText,
  ViewPlugin,
} from '@codemirror/view';
import type { DecorationSet, ViewUpdate } from '@codemirror/view';
import type { Model } from '@crease/core/model';
import { editorLook } from './editorLook.ts';
import { formulaMarks } from './formulaMarks.ts';
import {
  AGGREGATE_DEFINITIONS,
  aggregateNamed,
  FUNCTIONS,
  functionNamed,
  PERIODS,
  quoteName,
  WORDS,
} from '@crease/core/formula';

export interface Fault {
  readonly start: number;
  readonly end: number;
  readonly message: string;
}

/** Marks of the formula as it is written now. */
const marks = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;

    constructor(view: EditorView) {
      this.decorations = decorationsOf(view);
    }

    update(update: ViewUpdate) {
      if (update.docChanged) this.decorations = decorationsOf(update.view);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

const decorationsOf = (view: EditorView): DecorationSet =>
  Decoration.set(
    formulaMarks(view.state.doc.toString()).map(({ start, end, kind }) =>
      Decoration.mark({ class: `formula-${kind}` }).range(start, end),
    ),
  );

function completions(model: Model): Completion[] {
  return [
    ...(model.measures ?? []).map((m): Completion => ({
      label:
        /[^\p{L}\p{N}_]/u.test(m.name) || m.name !== m.name.toLowerCase() ? `"${m.name}"` : quoteName(m.name),
      type: 'measure',
      detail: 'measure',
      info: m.formula,
    })),
    ...model.tables.map((t): Completion => ({
      label: quoteName(t.name),
      type: 'table',
      detail: t.role,
      ...(t.grain ? { info: t.grain } : {}),
    })),
    ...FUNCTIONS.map((f): Completion => ({
      label: f.name,
      apply: `${f.name}(`,
      type: 'function',
      detail: `(${f.parameters})`,
      info: f.documentation,
    })),
    ...AGGREGATE_DEFINITIONS.map((a): Completion => ({
      label: a.name,
      apply: `${a.name}(`,
      type: 'function',
      detail: `(${a.parameters})`,
      info: a.documentation,
    })),
    ...WORDS.map((w): Completion => ({
      label: w.word,
      type: 'keyword',
      info: `${w.form}: ${w.documentation}`,
    })),
    ...PERIODS.map((p): Completion => ({
      label: p.word,
      type: 'keyword',
      detail: 'period',
      info: `${p.form}: ${p.documentation}`,
    })),
  ];
}

const completeFrom = (model: () => Model) => (context: CompletionContext) => {
  const path = context.matchBefore(/(?:"[^"]+"|[\p{L}_][\p{L}\p{N}_]*)\.[\p{L}\p{N}_"]*/u);
  if (path) {
    const [tableText] = path.text.split('.');
    const table = model().tables.find(
      (t) => t.name.toLowerCase() === tableText!.replaceAll('"', '').toLowerCase(),
    );
    if (table)
      return {
        from: path.from + tableText!.length + 1,
        options: table.columns.map((c): Completion => ({
          label: quoteName(c.name),
          type: 'column',
          detail: c.type,
        })),
      };
  }
  const word = context.matchBefore(/"?[\p{L}_][\p{L}\p{N}_ ]*/u);
  if (!word && !context.explicit) return null;
  return {
    from: word?.from ?? context.pos,
    options: completions(model()),
    validFor: /^"?[\p{L}\p{N}_ ]*"?$/u,
  };
};

/** What the editor says of a word under the pointer. */
function helpOn(word: string): string | undefined {
  const known = functionNamed(word);
  if (known) {
    const { formula, gives } = known.example;
    return `${known.name}(${known.parameters}): ${known.documentation} For example ${formula} gives ${JSON.stringify(gives)}.`;
  }
  const aggregate = aggregateNamed(word);
  if (aggregate)
    return `${aggregate.name}(${aggregate.parameters}): ${aggregate.documentation} For example ${aggregate.example.formula}.`;
  const other = [...WORDS, ...PERIODS].find((w) => w.word === word.toLowerCase());
  return other && `${other.form}: ${other.documentation} For example ${other.example.formula}.`;
}

const hover = hoverTooltip((view, position) => {
  const line = view.state.doc.lineAt(position);
  for (const match of line.text.matchAll(/[\p{L}_][\p{L}\p{N}_]*/gu)) {
    const [from, to] = [line.from + match.index, line.from + match.index + match[0].length];
    if (position < from || position > to) continue;
    const text = helpOn(match[0]);
    if (!text) return null;
    return {
      pos: from,
      end: to,
      create: () => ({
        dom: Object.assign(document.createElement('div'), {
          textContent: text,
          className: 'max-w-[360px] px-2 py-1 text-[12px]',
        }),
      }),
    };
  }
  return null;
});

interface Props {
  readonly value: string;
  readonly model: Model;
  readonly faults: readonly Fault[];
  readonly label: string;
  readonly placeholder?: string;
  readonly onChange: (text: string) => void;
  /** Ctrl+Enter. */
  readonly onSave: () => void;
}

/** The formula editor: completion, help on hover, faults where they are. */
export default function FormulaEditor({ value, model, faults, label, placeholder, onChange, onSave }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef({ model, onChange, onSave });
  useEffect(() => {
    latest.current = { model, onChange, onSave };
  });

  useEffect(() => {
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          marks,
          editorLook,
          history(),
          closeBrackets(),
          lintGutter(),
          hover,
          EditorView.lineWrapping,
          autocompletion({ override: [completeFrom(() => latest.current.model)], icons: false }),
          keymap.of([
            { key: 'Mod-Enter', run: () => (latest.current.onSave(), true) },
            ...defaultKeymap,
            ...historyKeymap,
            indentWithTab,
          ]),
          EditorView.contentAttributes.of({ 'aria-label': label }),
          placeholderText(placeholder ?? ''),
          EditorView.updateListener.of(
            (update) => update.docChanged && latest.current.onChange(update.state.doc.toString()),
          ),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []); // eslint-disable-line react-hooks/exhaustive-deps

  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== value)
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
  }, [value]);

  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const length = editor.state.doc.length;
    const marks = faults.map((f) => ({
      from: Math.min(f.start, length),
      to: Math.min(Math.max(f.end, f.start + 1), length),
      severity: 'error' as const,
      message: f.message,
    }));
    editor.dispatch(setDiagnostics(editor.state, marks));
  }, [faults]);

  return <div ref={host} />;
}

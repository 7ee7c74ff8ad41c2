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
import type { Model, Table } from '@crease/core/model';
import { editorLook } from './editorLook.ts';
import { formulaMarks } from './formulaMarks.ts';
import type { NamedObject } from './formulaNames.ts';
import { objectAt } from './formulaNames.ts';
import {
  AGGREGATE_DEFINITIONS,
  aggregateNamed,
  FUNCTIONS,
  functionNamed,
  PERIODS,
  PLAIN_OTHER_NAMES,
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

/** Aggregates of numbers alone. */
const OF_NUMBERS = /\b(sum|avg|median|stddev_pop|stddev_samp|var_pop|var_samp)\s*\(\s*$/i;
const isNumber = (type: string): boolean => /^(integer|decimal|double)/.test(type);

/** What is completed, given the text before and the tables that the formula's rows are of or reach. */
function completions(model: Model, reached: ReadonlySet<string> | undefined): Completion[] {
  const far = (table: string) => reached !== undefined && !reached.has(table.toLowerCase());
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
      detail: far(t.name) ? `${t.role}, not reached` : t.role,
      boost: far(t.name) ? -30 : 0,
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
    ...PLAIN_OTHER_NAMES.map(([other, name]): Completion => ({
      label: other,
      displayLabel: name,
      apply: `${name}(`,
      type: 'function',
      detail: `for ${other}`,
      boost: -50,
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

/** Columns of a table; within a sum and the like those that are no numbers come last, and say so. */
const columnsOf = (table: Table, before: string): Completion[] => {
  const wantsNumber = OF_NUMBERS.test(before);
  return table.columns.map((c): Completion => {
    const isUnfit = wantsNumber && !isNumber(c.type);
    return {
      label: quoteName(c.name),
      type: 'column',
      detail: isUnfit ? `${c.type}, no number` : c.type,
      boost: isUnfit ? -20 : wantsNumber ? 10 : 5,
      ...(c.description === undefined ? {} : { info: c.description }),
    };
  });
};

/** What the editor knows of the formula. */
interface Known {
  readonly model: Model;
  readonly reached?: readonly string[] | undefined;
  readonly own?: string | undefined;
}

const completeFrom = (known: () => Known) => (context: CompletionContext) => {
  const { model, reached, own } = known();
  const near = reached && new Set(reached.map((t) => t.toLowerCase()));
  const path = context.matchBefore(/(?:"[^"]+"|[\p{L}_][\p{L}\p{N}_]*)\.[\p{L}\p{N}_"]*/u);
  if (path) {
    const [tableText] = path.text.split('.');
    const table = model.tables.find(
      (t) => t.name.toLowerCase() === tableText!.replaceAll('"', '').toLowerCase(),
    );
    if (table)
      return {
        from: path.from + tableText!.length + 1,
        options: columnsOf(table, context.state.sliceDoc(0, path.from)),
      };
  }
  const word = context.matchBefore(/"?[\p{L}_][\p{L}\p{N}_ ]*/u);
  if (!word && !context.explicit) return null;
  const ownTable = own === undefined ? undefined : model.tables.find((t) => t.name === own);
  return {
    from: word?.from ?? context.pos,
    options: [
      ...(ownTable ? columnsOf(ownTable, context.state.sliceDoc(0, word?.from ?? context.pos)) : []),
      ...completions(model, near),
    ],
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
  /** Tables that the formula's rows are of or reach, where they are known: others are completed last. */
  readonly reached?: readonly string[] | undefined;
  /** The table whose columns go by their names alone, in a formula of its rows. */
  readonly own?: string | undefined;
  /** F12, or a press with Ctrl or Cmd, on a measure, column or table. */
  readonly onGoTo?: ((object: NamedObject) => void) | undefined;
  readonly onChange: (text: string) => void;
  /** Ctrl+Enter. */
  readonly onSave: () => void;
}

/** Goes to what is named at a place; false where nothing is. */
function goTo({ value, model, own, onGoTo }: Props, place: number): boolean {
  const object = onGoTo && objectAt(value, place, model, own);
  if (!object) return false;
  onGoTo(object);
  return true;
}

/** The formula editor: completion, help on hover, faults where they are. */
export default function FormulaEditor(props: Props) {
  const { value, faults, label, placeholder } = props;
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef(props);
  useEffect(() => {
    latest.current = props;
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
          autocompletion({ override: [completeFrom(() => latest.current)], icons: false }),
          keymap.of([
            { key: 'F12', run: ({ state }) => goTo(latest.current, state.selection.main.head) },
            { key: 'Mod-Enter', run: () => (latest.current.onSave(), true) },
            ...defaultKeymap,
            ...historyKeymap,
            indentWithTab,
          ]),
          EditorView.domEventHandlers({
            mousedown: (event, editorView) => {
              if (!event.ctrlKey && !event.metaKey) return false;
              const place = editorView.posAtCoords({ x: event.clientX, y: event.clientY });
              return place !== null && goTo(latest.current, place);
            },
          }),
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
  }, []); // oxlint-disable-line react/exhaustive-deps

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

import { EditorView } from '@codemirror/view';

/** How texts that are written with completion look: a formula, a question. */
export const editorLook = EditorView.theme({
  '&': { fontSize: '13px', background: 'var(--raised)', border: '1px solid var(--rule-strong)' },
  '&.cm-focused': { outline: '2px solid var(--focus)', outlineOffset: '1px' },
  '.cm-scroller': {
    fontFamily: 'var(--font-mono)',
    fontVariantLigatures: 'none',
    minHeight: '70px',
    maxHeight: '240px',
  },
  '.cm-content': { caretColor: 'var(--ink)', color: 'var(--ink)' },
  '.cm-gutters': { background: 'transparent', border: 'none' },
  '.cm-tooltip': { background: 'var(--raised)', color: 'var(--ink)', border: '1px solid var(--ink)' },
  '.cm-completionInfo': { fontFamily: 'var(--font-mono)', fontSize: '12px' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { background: 'var(--ink)', color: 'var(--leaf)' },
  '.formula-keyword': { fontWeight: '650' },
  '.formula-comment': { color: 'var(--soft)', fontStyle: 'italic' },
  '.formula-text': { color: 'var(--green)' },
  '.formula-number': { color: 'var(--violet)' },
  '.formula-function': { textDecoration: 'underline', textDecorationColor: 'var(--rule-strong)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { background: 'var(--rule) !important' },
});

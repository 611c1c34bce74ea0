import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands'
import { json } from '@codemirror/lang-json'
import {
  HighlightStyle,
  indentUnit,
  StreamLanguage,
  syntaxHighlighting,
} from '@codemirror/language'
import { xml } from '@codemirror/legacy-modes/mode/xml'
import { yaml } from '@codemirror/legacy-modes/mode/yaml'
import { highlightSelectionMatches, searchKeymap } from '@codemirror/search'
import { EditorState, StateEffect, StateField, type Extension } from '@codemirror/state'
import {
  Decoration,
  drawSelection,
  EditorView,
  highlightActiveLine,
  keymap,
  lineNumbers,
  type DecorationSet,
} from '@codemirror/view'
import { tags } from '@lezer/highlight'
import type { Syntax } from '~~/core/text/read'

export const ink = HighlightStyle.define([
  {
    tag: [
      tags.propertyName,
      tags.definition(tags.propertyName),
      tags.atom,
      tags.keyword,
      tags.meta,
      tags.tagName,
      tags.angleBracket,
    ],
    color: 'var(--code-key)',
  },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--code-text)' },
  { tag: tags.attributeName, color: 'var(--code-number)' },
  { tag: tags.function(tags.variableName), color: 'var(--code-key)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--code-number)' },
  { tag: tags.comment, color: 'var(--code-comment)', fontStyle: 'italic' },
])

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12.2px', backgroundColor: 'var(--page)', color: 'var(--ink)' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '20px' },
  '.cm-gutters': { backgroundColor: 'var(--page)', color: 'var(--quiet)', border: 'none' },
  '.cm-lineNumbers .cm-gutterElement': { minWidth: '40px', paddingRight: '12px' },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, var(--faint) 60%, transparent)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'var(--slate-wash) !important',
  },
  '.cm-tooltip': {
    border: '1px solid var(--line)',
    borderRadius: '6px',
    backgroundColor: 'var(--paper)',
    color: 'var(--ink)',
    boxShadow: '0 6px 20px rgb(0 0 0 / 12%)',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul': {
    fontFamily: 'var(--mono)',
    fontSize: '12.2px',
    maxHeight: '240px',
  },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li': { padding: '1px 9px' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--elm)',
    color: 'var(--page)',
  },
  '.cm-completionMatchedText': { fontWeight: '700', textDecoration: 'none' },
  '.cm-completionDetail': {
    marginLeft: '12px',
    font: 'italic 11.5px var(--body)',
    opacity: '0.75',
  },
  '.cm-panels': { backgroundColor: 'var(--paper)', color: 'var(--ink)' },
  '.cm-searchMatch': { backgroundColor: 'var(--ochre-wash)' },
  '.cm-line.at-MUST': { background: 'linear-gradient(90deg, var(--copper-wash), transparent 92%)' },
  '.cm-line.at-SHOULD': {
    background: 'linear-gradient(90deg, var(--ochre-wash), transparent 92%)',
  },
  '.cm-line.at-MAY': { background: 'linear-gradient(90deg, var(--slate-wash), transparent 70%)' },
})

const languages = {
  json: () => json(),
  yaml: () => StreamLanguage.define(yaml),
  xml: () => StreamLanguage.define(xml),
}

/** What every editor of the ledger has. */
export const base = (syntax: Syntax): Extension[] => [
  lineNumbers(),
  history(),
  drawSelection(),
  highlightActiveLine(),
  highlightSelectionMatches(),
  indentUnit.of('  '),
  syntaxHighlighting(ink),
  languages[syntax](),
  keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap, indentWithTab]),
  look,
]

export const readOnly: Extension = [EditorState.readOnly.of(true), EditorView.editable.of(true)]

/** A line to be tinted, by what is said about it. */
export interface LineTint {
  line: number
  level: string
}

export const setTints = StateEffect.define<LineTint[]>()

/** Tinted lines; they move with the text until the next check. */
export const tints = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(current, transaction) {
    for (const effect of transaction.effects) {
      if (!effect.is(setTints)) continue
      const { doc } = transaction.state
      const strongest = new Map<number, string>()
      const order = ['MAY', 'SHOULD', 'MUST']
      for (const { line, level } of effect.value) {
        if (line > doc.lines) continue
        if (order.indexOf(level) > order.indexOf(strongest.get(line) ?? ''))
          strongest.set(line, level)
      }
      const ranges = [...strongest]
        .sort(([a], [b]) => a - b)
        .map(([line, level]) =>
          Decoration.line({ class: `at-${level}` }).range(doc.line(line).from),
        )
      return Decoration.set(ranges)
    }
    return current.map(transaction.changes)
  },
  provide: (field) => EditorView.decorations.from(field),
})

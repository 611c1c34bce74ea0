import { acceptCompletion, autocompletion, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { StreamLanguage, syntaxHighlighting, type StreamParser } from '@codemirror/language'
import { linter, type Diagnostic } from '@codemirror/lint'
import type { Extension } from '@codemirror/state'
import { EditorView, keymap, placeholder } from '@codemirror/view'
import { completeCondition, conditionFault } from '~~/core/rules/complete'
import type { SubjectKind } from '~~/core/rules/model'
import { ink } from './editor'

/** The tokens of the Common Expression Language (its specification, section "Syntax"). */
const cel: StreamParser<unknown> = {
  token(stream) {
    if (stream.eatSpace()) return null
    if (stream.match('//')) {
      stream.skipToEnd()
      return 'comment'
    }
    if (stream.match(/^[rb]?("([^"\\]|\\.)*"?|'([^'\\]|\\.)*'?)/i)) return 'string'
    if (stream.match(/^(0x[\da-f]+|\d+(\.\d+)?(e[+-]?\d+)?)u?/i)) return 'number'
    if (stream.match(/^(true|false|null|in)\b/)) return 'atom'
    if (stream.match(/^[a-zA-Z_]\w*(?=\s*\()/)) return 'function'
    if (stream.match(/^[a-zA-Z_]\w*/)) return 'variableName'
    stream.next()
    return 'operator'
  },
}

const look = EditorView.theme({
  '&': {
    border: '1px solid var(--rule)',
    borderRadius: '5px',
    backgroundColor: 'var(--paper)',
    color: 'var(--ink)',
    fontSize: '12.5px',
  },
  '&.cm-focused': { outline: '2px solid var(--elm)', outlineOffset: '-1px' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '19px', maxHeight: '230px' },
  '.cm-content': { padding: '5px 2px' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-lintRange-error': {
    backgroundImage: 'none',
    textDecoration: 'underline wavy var(--copper)',
    textUnderlineOffset: '3px',
  },
  '.cm-placeholder': { color: 'var(--quiet)' },
})

/** An editor for a condition about one kind of subject, which says what is wrong and suggests what can be asked. */
export const conditionEditor = (
  about: () => SubjectKind,
  label: string,
  hint: string,
): Extension => [
  history(),
  EditorView.lineWrapping,
  StreamLanguage.define(cel),
  syntaxHighlighting(ink),
  placeholder(hint),
  EditorView.contentAttributes.of({ 'aria-label': label }),
  autocompletion({
    icons: false,
    override: [
      (context) => {
        if (!context.explicit && !context.matchBefore(/[\w.]/)) return null
        const found = completeCondition(context.state.doc.toString(), context.pos, about())
        if (!found) return null
        return {
          from: found.from,
          validFor: /^\w*$/,
          options: found.suggestions.map(({ label: name, detail, says, kind }) => ({
            label: name,
            detail,
            info: says,
            type: kind,
            apply: kind === 'function' ? `${name}(` : name,
            boost: kind === 'function' ? -1 : 1,
          })),
        }
      },
    ],
  }),
  linter(
    (view): Diagnostic[] => {
      const text = view.state.doc.toString()
      const fault = text.trim() === '' ? undefined : conditionFault(text, about())
      return fault ? [{ ...fault, severity: 'error' }] : []
    },
    { delay: 250 },
  ),
  keymap.of([
    { key: 'Tab', run: acceptCompletion },
    ...completionKeymap,
    ...defaultKeymap,
    ...historyKeymap,
  ]),
  look,
]

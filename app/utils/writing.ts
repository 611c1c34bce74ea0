import {
  autocompletion,
  completionKeymap,
  type Completion as Option,
  type CompletionContext,
} from '@codemirror/autocomplete'
import type { Extension } from '@codemirror/state'
import { hoverTooltip, keymap } from '@codemirror/view'
import type { Completion } from '~~/core/complete'
import type { Syntax } from '~~/core/text/read'

/** What is said of a line when the pointer rests on it. */
export interface LineNote {
  level: string
  message: string
  reason: string
  remedy: string
}

export type Suggest = (text: string, offset: number) => Promise<Completion | undefined>

/** What is written for a suggestion: a key of YAML gets its colon, and a number that is a key its quotes. */
function written(label: string, { kind }: Completion, syntax: Syntax): string {
  if (kind !== 'key' || syntax !== 'yaml') return label
  return /^\d+$/.test(label) ? `'${label}':` : `${label}: `
}

/** Suggests while somebody writes, and on Ctrl+Space: what the format knows and the definition has. */
export const suggesting = (suggest: Suggest, syntax: Syntax): Extension => [
  autocompletion({
    override: [
      async (context: CompletionContext) => {
        if (!context.explicit && !context.matchBefore(/[\w$#/<:"'-]/)) return null
        const found = await suggest(context.state.doc.toString(), context.pos)
        if (!found || context.aborted) return null
        return {
          from: found.from,
          validFor: /^[\w$#/.:{}~-]*$/,
          options: found.suggestions.map(({ label, detail = '' }): Option => ({
            label,
            detail,
            type: found.kind,
            apply: written(label, found, syntax),
            boost: detail === 'required' ? 1 : 0,
          })),
        }
      },
    ],
    icons: false,
    maxRenderedOptions: 60,
  }),
  keymap.of(completionKeymap),
]

/** Shows what is said of a line where the pointer rests, with the reason for it. */
export const explaining = (notesAt: (line: number) => LineNote[]): Extension =>
  hoverTooltip((view, position) => {
    const line = view.state.doc.lineAt(position)
    const notes = notesAt(line.number)
    if (notes.length === 0) return null
    return {
      pos: line.from + (/^\s*/.exec(line.text)?.[0].length ?? 0),
      end: line.to,
      above: true,
      create: () => ({ dom: noteList(notes) }),
    }
  })

function noteList(notes: LineNote[]): HTMLElement {
  const list = document.createElement('div')
  list.className = 'line-notes'
  const add = (parent: HTMLElement, name: string, className: string, text: string) => {
    if (text === '') return
    const element = document.createElement(name)
    element.className = className
    element.textContent = text
    parent.append(element)
  }
  for (const { level, message, reason, remedy } of notes) {
    const note = document.createElement('div')
    add(note, 'span', `level ${level}`, level)
    add(note, 'b', '', message)
    add(note, 'p', '', reason)
    add(note, 'p', 'soft', remedy)
    list.append(note)
  }
  return list
}

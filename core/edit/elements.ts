import type { XmlElement } from '../text/xml'
import { EditFault } from './tree'

const escapes: Record<string, string> = { '&': '&amp;', '<': '&lt;', '"': '&quot;', "'": '&apos;' }

/** A text as it stands between tags (XML 1.0, section 2.4). */
export const escapeText = (text: string): string =>
  text.replace(/[&<]/g, (character) => escapes[character]!).replaceAll(']]>', ']]&gt;')

/** A text as it stands in quotes. */
export const escapeValue = (text: string): string =>
  text.replace(/[&<"']/g, (character) => escapes[character]!)

/** A start tag whole; a `>` inside of an attribute does not end it. */
export const tagOf = (text: string, start: number): string =>
  /^<(?:[^<>"']|"[^"]*"|'[^']*')*>/.exec(text.slice(start, start + 20_000))?.[0] ?? ''

/** The offset behind an element. */
export function endOf(text: string, element: XmlElement): number {
  const tag = tagOf(text, element.start)
  let to = element.start + tag.length
  if (tag.endsWith('/>')) return to
  const name = /^<([^\s/>]+)/.exec(tag)![1]!
  const pattern = new RegExp(`<(/?)${name.replace(/[.]/g, '\\.')}(?=[\\s/>])[^>]*?(/?)>`, 'g')
  pattern.lastIndex = to
  for (let depth = 1; depth > 0;) {
    const next = pattern.exec(text)
    if (!next) throw new EditFault('The element does not end')
    depth += next[1] === '/' ? -1 : next[2] === '/' ? 0 : 1
    to = pattern.lastIndex
  }
  return to
}

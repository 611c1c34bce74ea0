import type { XmlElement } from '../../text/xml'

/** The text of an element's xs:documentation, or of the XML Schema drafts' annotations. */
export function documentation(element: XmlElement): string | undefined {
  if (element.children.length === 0) return undefined
  const parts = element.children
    .filter((child) => child.local === 'annotation')
    .flatMap((annotation) => annotation.children.filter((child) => child.local === 'documentation'))
    .map(wholeText)
    .filter((text) => text !== '')
  return parts.length > 0 ? parts.join('\n\n') : undefined
}

/** The text of an element and what is inside of it, with white space put right. */
export function wholeText(element: XmlElement): string {
  if (element.children.length === 0 && !element.text.includes('\n')) return element.text.trim()
  const parts = [element.text.trim(), ...element.children.map(wholeText)]
  return parts
    .filter((part) => part !== '')
    .join(' ')
    .replace(/[ \t]*\n[ \t]*/g, '\n')
    .trim()
}

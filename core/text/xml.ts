import { SaxesParser } from 'saxes'
import { readElements } from './xml-plain'
import { ElementTree, type XmlElement } from './xml-elements'
import { assignOffset, pointerTree, type Pointer, type PointerTree } from './pointer'
import type { TextFault } from './diagnostic'

export { XmlElement, type QName } from './xml-elements'

const mostFaults = 100

/**
 * Reads an XML document into elements with their offsets. No entity is expanded beyond the five of XML itself, and a
 * document type declaration fetches nothing. Reading goes on after a fault, to report all it can.
 */
export function readXml(text: string): { root: XmlElement | undefined; faults: TextFault[] } {
  const root = readElements(text)
  return root ? { root, faults: [] } : readAnyXml(text)
}

/** Reads any document, with the parser of the whole language. */
export function readAnyXml(text: string): { root: XmlElement | undefined; faults: TextFault[] } {
  const parser = new SaxesParser({ position: false })
  const faults: TextFault[] = []
  const fault = (message: string, offset: number) => {
    if (faults.length < mostFaults && faults.at(-1)?.offset !== offset)
      faults.push({ message, offset })
  }
  const tree = new ElementTree(fault)
  let start = 0
  let stopped = false
  /** Names and values of the tag that is being read, so many of them as are counted. */
  const pending: string[] = []
  let count = 0
  parser.on('error', (error) => {
    fault(sentence(error.message), Math.max(0, parser.position - 1))
  })
  parser.on('opentagstart', (tag) => {
    count = 0
    start = Math.max(0, text.lastIndexOf('<', parser.position - 1 - tag.name.length))
  })
  parser.on('attribute', ({ name, value }) => {
    pending[count++] = name
    pending[count++] = value
  })
  parser.on('opentag', (tag) => {
    if (!tree.open(tag.name, pending.slice(0, count), start)) stopped = true
  })
  parser.on('closetag', () => {
    tree.close()
  })
  parser.on('text', (part) => {
    tree.text(part)
  })
  parser.on('cdata', (part) => {
    tree.text(part)
  })
  const chunk = 1 << 16
  for (let at = 0; at < text.length && !stopped; at += chunk)
    parser.write(text.slice(at, at + chunk))
  if (!stopped) parser.close()
  return { root: tree.root, faults }
}

/** Turns the XML reader's note into a sentence of its own, without the position in front. */
function sentence(message: string): string {
  const plain = message.replace(/^(?:[^:]*:)?\d+:\d+:\s*/, '')
  return plain.charAt(0).toUpperCase() + plain.slice(1).replace(/\.$/, '')
}

/** Offsets of element paths in an XML text; one that does not exist gets its nearest ancestor's. */
export const locateInXml = (
  root: XmlElement | undefined,
  paths: Iterable<Pointer>,
): Map<Pointer, number> => locateElements(root, pointerTree(paths))

/** Offsets of what is wanted below a part whose text is an XML document. */
export function locateElements(
  root: XmlElement | undefined,
  tree: PointerTree,
): Map<Pointer, number> {
  const found = new Map<Pointer, number>()
  const visit = (element: XmlElement | undefined, wanted: PointerTree, start: number): void => {
    for (const pointer of wanted.wanted) found.set(pointer, start)
    for (const [step, below] of wanted.children) {
      const child = element && childAt(element, step)
      if (child) visit(child, below, child.start)
      else assignOffset(below, start, found)
    }
  }
  for (const pointer of tree.wanted) found.set(pointer, root?.start ?? 0)
  // Whatever the first step is called, there is one root.
  for (const below of tree.children.values()) visit(root, below, root?.start ?? 0)
  return found
}

/** The child that a step of a path names: its local name, and its rank among those of that name. */
export function childAt({ children }: XmlElement, step: string): XmlElement | undefined {
  const [, local, rank] = /^([^[]*)(?:\[(\d+)\])?$/.exec(step) ?? []
  return children.filter((child) => child.local === local)[Number(rank ?? 1) - 1]
}

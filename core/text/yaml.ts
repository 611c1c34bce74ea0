import { parseDocument } from 'yaml'
import { nodesInBlocks, readBlocks } from './yaml-blocks'
import { loadAny, nodesOfAny, type TextMember, type TextNode, type TextNodes } from './yaml-loader'
import { assignOffset, pointerTree, type Pointer, type PointerTree } from './pointer'
import { locateTree } from './json'
import { Lines, type TextFault } from './diagnostic'
import { locateElements, readXml } from './xml'

export { Include, mayShareParts } from './yaml-loader'

/** A YAML document as values. What is written in blocks alone is known to hold no part twice. */
export interface LoadedYaml {
  value: unknown
  inBlocks: boolean
}

/** A text of which all lines end as on Windows, with plain line ends; any other is left as it is. */
function withPlainEnds(text: string): string {
  if (!text.includes('\r') || /(?<!\r)\n/.test(text)) return text
  return text.replaceAll('\r\n', '\n')
}

/** Reads one YAML document, and says how it is written. Throws js-yaml's exception with its `mark`. */
export function readYamlText(text: string): LoadedYaml {
  const value = readBlocks(withPlainEnds(text))
  return value === undefined ? { value: loadAny(text), inBlocks: false } : { value, inBlocks: true }
}

/** Reads one YAML document into values. Throws js-yaml's exception with its `mark`. */
export const loadYaml = (text: string): unknown => readYamlText(text).value

/** Texts longer than this get only their first fault: finding them all takes several times a read. */
const longestForAll = 400_000

/** Every fault that a reader that recovers and goes on can find; empty where it finds none or the text is long. */
export function yamlFaults(text: string, most = 100): TextFault[] {
  if (text.length > longestForAll) return []
  try {
    const { errors } = parseDocument(text, { prettyErrors: false, keepSourceTokens: false })
    return errors
      .filter(({ code }) => code !== 'TAG_RESOLVE_FAILED')
      .slice(0, most)
      .map(({ code, message, pos }) => ({
        message: code === 'DUPLICATE_KEY' ? 'A key stands twice in the same mapping' : message,
        offset: pos[0],
      }))
  } catch {
    return []
  }
}

/**
 * Offsets of the pointers in a well-formed YAML text; one that does not exist gets its nearest ancestor's. A text that
 * is known to be written in blocks is not read again.
 */
export function locateInYaml(
  text: string,
  pointers: Iterable<Pointer>,
  inBlocks = false,
): Map<Pointer, number> {
  const plain = withPlainEnds(text)
  if (plain !== text) {
    const found = locateInYaml(plain, pointers, inBlocks)
    const lines = new Lines(plain)
    // Each line before has one character more.
    for (const [pointer, offset] of found) found.set(pointer, offset + lines.at(offset).line - 1)
    return found
  }
  const tree = pointerTree(pointers)
  const root = nodesInBlocks(text, tree, inBlocks)
  const nodes: TextNodes = root ? { root, written: new Map() } : nodesOfAny(text)
  const found = new Map<Pointer, number>()
  visit(nodes.root, tree, nodes.root?.start ?? 0, { text, ...nodes }, found)
  return found
}

/** A block of literal text: its lines without their indent, and where each begins in the whole text. */
interface Literal {
  text: string
  offsetOf: (inner: number) => number
}

/** The literal block (YAML 1.2, section 8.1.2) that begins at an offset, if one does. */
function literalAt(text: string, start: number): Literal | undefined {
  const header = /\|[-+\d]*[^\S\n]*(?:#[^\n]*)?\r?\n/y
  header.lastIndex = start
  if (!header.test(text)) return undefined
  const first = /^(?:[^\S\n]*\n)*( *)/.exec(text.slice(header.lastIndex, header.lastIndex + 10_000))
  const indent = first?.[1]?.length ?? 0
  if (indent === 0) return undefined
  const starts: number[] = []
  const lines: string[] = []
  for (let at = header.lastIndex; at < text.length;) {
    const end = text.indexOf('\n', at)
    const line = text.slice(at, end === -1 ? text.length : end)
    if (line.trim() !== '' && !line.startsWith(' '.repeat(indent))) break
    starts.push(at + Math.min(indent, line.length))
    lines.push(line.slice(indent))
    at = end === -1 ? text.length : end + 1
  }
  const inner = lines.join('\n')
  const index = new Lines(inner)
  return {
    text: inner,
    offsetOf: (offset) => {
      const { line, column } = index.at(offset)
      return starts[line - 1]! + column - 1
    },
  }
}

/** Looks into a text that is JSON or XML itself, as the schemas of RAML are; says whether it is. */
function visitText(
  text: string,
  start: number,
  tree: PointerTree,
  found: Map<Pointer, number>,
): boolean {
  const literal = literalAt(text, start)
  const inner = literal && locateInside(literal.text, { ...tree, wanted: [] })
  if (!inner) return false
  for (const [pointer, offset] of inner) found.set(pointer, literal.offsetOf(offset))
  return true
}

function locateInside(text: string, tree: PointerTree): Map<Pointer, number> | undefined {
  if (/^\s*</.test(text)) {
    const { root, faults } = readXml(text)
    return faults.length === 0 ? locateElements(root, tree) : undefined
  }
  if (!/^\s*[{[]/.test(text)) return undefined
  try {
    JSON.parse(text)
  } catch {
    return undefined
  }
  return locateTree(text, tree)
}

function visit(
  node: TextNode | undefined,
  tree: PointerTree,
  place: number,
  { text, written }: Pick<TextNodes, 'written'> & { text: string },
  found: Map<Pointer, number>,
): void {
  for (const pointer of tree.wanted) found.set(pointer, place)
  if (tree.children.size === 0) return
  const target = node?.stands ? written.get(node.stands) : node
  const isText = target && !target.members && !target.items
  if (isText && visitText(text, target.start, tree, found)) return
  const seen = new Set<PointerTree>()
  for (const [segment, child] of tree.children) {
    const member = target?.members && memberOf(target.members, segment, written)
    const item = target?.items?.[Number(segment)]
    if (!member && !item) continue
    seen.add(child)
    if (member) visit(member.value, child, member.keyStart, { text, written }, found)
    else visit(item, child, item!.start, { text, written }, found)
  }
  assignOffset(tree, place, found, seen)
}

/** A member by name, or from what `<<` merges in. */
function memberOf(
  members: Map<string, TextMember>,
  name: string,
  written: Map<object, TextNode>,
): TextMember | undefined {
  const own = members.get(name)
  if (own) return own
  const merged = members.get('<<')?.value
  if (!merged) return undefined
  for (const source of merged.items ?? [merged]) {
    const target = source?.stands ? written.get(source.stands) : source
    const member = target?.members && memberOf(target.members, name, written)
    if (member) return member
  }
  return undefined
}

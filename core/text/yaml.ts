import yaml from 'js-yaml'
import { parseDocument } from 'yaml'
import { assignOffset, pointerTree, type Pointer, type PointerTree } from './pointer'
import { locateTree } from './json'
import { Lines, type TextFault } from './problem'

/** Merge keys are not in the core schema; the loader acts on the tag alone. */
const merge = new yaml.Type('tag:yaml.org,2002:merge', {
  kind: 'scalar',
  resolve: (data) => data === '<<' || data === null,
})

/** What RAML's `!include` leaves in a value: the name as written. Nothing is read here. */
export class Include {
  constructor(readonly name: string) {}
}

const include = new yaml.Type('!include', {
  kind: 'scalar',
  resolve: (data) => typeof data === 'string' && data !== '',
  construct: (data) => new Include(String(data).trim()),
})

/** YAML 1.2 core types and merge keys; no tag constructs anything but a note, dates stay text. */
const schema = yaml.CORE_SCHEMA.extend({ implicit: [merge], explicit: [include] })

/** Depth is judged by our own measure, which knows the place; the loader's bound only guards its stack. */
const options: yaml.LoadOptions & { maxDepth: number } = { schema, maxDepth: 1000 }

/** Reads one YAML document into values. Throws js-yaml's exception with its `mark`. */
export function loadYaml(text: string): unknown {
  return yaml.load(text, options)
}

/**
 * Whether a text may name a part to use it again (YAML 1.2, section 6.9.2): an ampersand where a value may begin, with a
 * name behind it.
 */
export function mayShareParts(text: string): boolean {
  for (let at = text.indexOf('&'); at !== -1; at = text.indexOf('&', at + 1)) {
    const [before = ' ', after = ' '] = [text[at - 1], text[at + 1]]
    if (/[\s,:[{]/.test(before) && !/[\s,[\]{}]/.test(after)) return true
  }
  return false
}

/** Texts longer than this get only their first fault: finding them all takes several times a read. */
const longestForAll = 400_000

/** Every fault that a reader which mends and goes on can find; empty where it finds none or the text is long. */
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

/** A node of the text: where it starts, and its members or items where it has any. */
interface TextNode {
  start: number
  members: Map<string, Member> | undefined
  items: TextNode[] | undefined
  /** Set on an alias: the value it stands for. */
  stands: object | undefined
}

interface Member {
  keyStart: number
  value: TextNode | undefined
}

interface Child {
  node: TextNode
  result: unknown
  isKey: boolean
}

interface OpenNode {
  start: number
  children: Child[]
}

/** Builds the tree of text positions from the loader's own events, so both always agree on what the text says. */
class PositionTree {
  root: TextNode | undefined
  private readonly open: OpenNode[] = []
  readonly written = new Map<object, TextNode>()

  constructor(readonly text: string) {}

  listen = (event: yaml.EventType, state: yaml.State): void => {
    if (event === 'open') this.open.push({ start: state.position, children: [] })
    else this.close(state)
  }

  private close(state: yaml.State): void {
    const { start, children } = this.open.pop()!
    const result = state.result as unknown
    const node: TextNode = {
      start: this.skip(start),
      members: undefined,
      items: undefined,
      stands: undefined,
    }
    const isObject = typeof result === 'object' && result !== null
    // A flow collection is first tried as a key; where it is none, the attempt is the node itself.
    const attempt = children.length === 1 && isObject && children[0]!.result === result
    if (attempt) Object.assign(node, children[0]!.node)
    else if (state.kind === 'mapping') node.members = membersOf(children)
    else if (state.kind === 'sequence') node.items = children.map((child) => child.node)
    else if (isObject) node.stands = result
    if (isObject && node.stands === undefined) this.written.set(result, node)
    const parent = this.open[this.open.length - 1]
    if (!parent) this.root = node
    else {
      const isKey = this.text.charCodeAt(this.skip(state.position)) === 58
      parent.children.push({ node, result, isKey })
    }
  }

  /** Past white space and comments. */
  private skip(offset: number): number {
    const pattern = /(?:\s+|#[^\n]*)*/y
    pattern.lastIndex = offset
    pattern.exec(this.text)
    return pattern.lastIndex
  }
}

/** Pairs keys with values; a key followed by another key has no value of its own in the text. */
function membersOf(children: Child[]): Map<string, Member> {
  const members = new Map<string, Member>()
  for (let i = 0; i < children.length; i++) {
    const key = children[i]!
    const next = children[i + 1]
    const hasValue = next !== undefined && !next.isKey
    members.set(String(key.result), {
      keyStart: key.node.start,
      value: hasValue ? next.node : undefined,
    })
    if (hasValue) i++
  }
  return members
}

/** Offsets of the pointers in a well-formed YAML text; one that does not exist gets its nearest ancestor's. */
export function locateInYaml(text: string, pointers: Iterable<Pointer>): Map<Pointer, number> {
  const positions = new PositionTree(text)
  yaml.load(text, { ...options, listener: positions.listen })
  const found = new Map<Pointer, number>()
  const root = positions.root
  visit(root, pointerTree(pointers), root?.start ?? 0, positions, found)
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

/** Looks into a text that is JSON itself, as the schemas of RAML are; says whether it is. */
function visitJson(
  text: string,
  start: number,
  tree: PointerTree,
  found: Map<Pointer, number>,
): boolean {
  const literal = literalAt(text, start)
  if (!literal || !/^\s*[{[]/.test(literal.text)) return false
  try {
    JSON.parse(literal.text)
  } catch {
    return false
  }
  for (const [pointer, offset] of locateTree(literal.text, { ...tree, wanted: [] }))
    found.set(pointer, literal.offsetOf(offset))
  return true
}

function visit(
  node: TextNode | undefined,
  tree: PointerTree,
  place: number,
  { text, written }: Pick<PositionTree, 'text' | 'written'>,
  found: Map<Pointer, number>,
): void {
  for (const pointer of tree.wanted) found.set(pointer, place)
  if (tree.children.size === 0) return
  const target = node?.stands ? written.get(node.stands) : node
  const isText = target && !target.members && !target.items
  if (isText && visitJson(text, target.start, tree, found)) return
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
  members: Map<string, Member>,
  name: string,
  written: Map<object, TextNode>,
): Member | undefined {
  const own = members.get(name)
  if (own) return own
  const merged = members.get('<<')?.value
  if (!merged) return undefined
  for (const source of merged.items ?? [merged]) {
    const target = source.stands ? written.get(source.stands) : source
    const member = target?.members && memberOf(target.members, name, written)
    if (member) return member
  }
  return undefined
}

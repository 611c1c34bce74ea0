import yaml from 'js-yaml'

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

/** Reads a whole YAML document, whatever it uses of the language. Throws js-yaml's exception with its `mark`. */
export const loadAny = (text: string): unknown => yaml.load(text, options)

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

/** A node of the text: where it starts, and its members or items where it has any. */
export interface TextNode {
  start: number
  members?: Map<string, TextMember>
  items?: (TextNode | undefined)[]
  /** Set on an alias: the value it stands for. */
  stands?: object
}

export interface TextMember {
  keyStart: number
  value: TextNode | undefined
}

/** The nodes of a text, and those that aliases stand for by their values. */
export interface TextNodes {
  root: TextNode | undefined
  written: Map<object, TextNode>
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
class Listener implements TextNodes {
  root: TextNode | undefined
  private readonly open: OpenNode[] = []
  readonly written = new Map<object, TextNode>()

  constructor(private readonly text: string) {}

  listen = (event: yaml.EventType, state: yaml.State): void => {
    if (event === 'open') this.open.push({ start: state.position, children: [] })
    else this.close(state)
  }

  private close(state: yaml.State): void {
    const { start, children } = this.open.pop()!
    const result = state.result as unknown
    const node: TextNode = { start: this.skip(start) }
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
function membersOf(children: Child[]): Map<string, TextMember> {
  const members = new Map<string, TextMember>()
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

/** Where the parts of a well-formed text are, whatever it uses of the language. */
export function nodesOfAny(text: string): TextNodes {
  const listener = new Listener(text)
  yaml.load(text, { ...options, listener: listener.listen })
  return listener
}

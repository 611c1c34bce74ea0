import { parseTree, type Node as JsonNode } from 'jsonc-parser'
import {
  isAlias,
  isMap,
  isPair,
  isScalar,
  isSeq,
  parseDocument,
  type Alias,
  type Document,
  type ParsedNode,
} from 'yaml'
import { segmentsOf, type Pointer } from '../text/pointer'
import type { Syntax } from '../text/read'

/** A member of a mapping where it is written. */
export interface Entry {
  key: string
  keyStart: number
  keyEnd: number
  value: TextNode | undefined
  end: number
}

/** A value where it is written: from its first character to behind its last one. */
export interface TextNode {
  kind: 'map' | 'list' | 'scalar' | 'alias'
  start: number
  end: number
  /** Written in braces or brackets, as JSON always is. */
  flow: boolean
  quote: '"' | "'" | 'block' | ''
  entries: Entry[]
  items: TextNode[]
  /** What it is named for other places to use, or on an alias, the name it uses; empty where it has none. */
  anchor: string
  /** What an alias stands for. */
  value?: () => unknown
}

/** Why a text cannot be changed as asked. */
export class EditFault extends Error {}

/** How the lines of a text end. */
export const eolOf = (text: string) => (text.includes('\r\n') ? '\r\n' : '\n')

const blank = { flow: true, quote: '', entries: [], items: [], anchor: '' } as const

function fromJson(node: JsonNode): TextNode {
  const start = node.offset
  const end = start + node.length
  const children = node.children ?? []
  if (node.type === 'object') {
    const entries = children.flatMap((member): Entry[] => {
      const [key, value] = member.children ?? []
      if (!key) return []
      return [
        {
          key: String(key.value),
          keyStart: key.offset,
          keyEnd: key.offset + key.length,
          value: value && fromJson(value),
          end: member.offset + member.length,
        },
      ]
    })
    return { ...blank, kind: 'map', start, end, entries, items: [] }
  }
  if (node.type === 'array') {
    return { ...blank, kind: 'list', start, end, entries: [], items: children.map(fromJson) }
  }
  return {
    ...blank,
    kind: 'scalar',
    start,
    end,
    quote: node.type === 'string' ? '"' : '',
    entries: [],
    items: [],
  }
}

const quotes: Record<string, TextNode['quote']> = {
  QUOTE_DOUBLE: '"',
  QUOTE_SINGLE: "'",
  BLOCK_LITERAL: 'block',
  BLOCK_FOLDED: 'block',
}

/** What an alias stands for; one that multiplies without end is not written out. */
function aliased(alias: Alias, document: Document): unknown {
  try {
    return alias.toJS(document)
  } catch {
    throw new EditFault(`What "*${alias.source}" stands for is too much to be written out`)
  }
}

function fromYaml(node: ParsedNode, text: string, document: Document): TextNode {
  const [start, end] = node.range
  const anchor = isAlias(node) ? node.source : (node.anchor ?? '')
  const base = { start, end, anchor, entries: [] as Entry[], items: [] as TextNode[] }
  if (isAlias(node)) {
    return { ...base, kind: 'alias', flow: true, quote: '', value: () => aliased(node, document) }
  }
  if (isScalar(node))
    return { ...base, kind: 'scalar', flow: true, quote: quotes[node.type ?? ''] ?? '' }
  if (isSeq(node)) {
    const items = node.items.flatMap((item) =>
      isPair(item) ? [] : [fromYaml(item, text, document)],
    )
    return { ...base, kind: 'list', flow: node.flow === true, quote: '', items }
  }
  if (!isMap(node)) throw new EditFault('The text holds something that is not known here')
  const entries = node.items.map(({ key, value }): Entry => {
    const written =
      value && value.range[1] > value.range[0] ? fromYaml(value, text, document) : undefined
    const keyEnd = key.range[1]
    return {
      key: isScalar(key) ? String((key as { value: unknown }).value) : '',
      keyStart: key.range[0],
      keyEnd,
      value: written,
      end: written?.end ?? text.indexOf(':', keyEnd) + 1,
    }
  })
  return { ...base, kind: 'map', flow: node.flow === true, quote: '', entries }
}

/** Reads where everything in a JSON or YAML text is written. Throws {@link EditFault} where it cannot be read. */
export function readTree(text: string, syntax: 'json' | 'yaml'): TextNode {
  if (syntax === 'json') {
    const root = parseTree(text)
    if (!root) throw new EditFault('The text has to be readable before it can be changed')
    return fromJson(root)
  }
  const document = parseDocument(text, {
    keepSourceTokens: false,
    customTags: [{ tag: '!include', resolve: (value: string) => value }],
  })
  if (document.errors.length > 0 || !document.contents) {
    throw new EditFault('The text has to be readable before it can be changed')
  }
  return fromYaml(document.contents, text, document)
}

/** What a pointer leads to: the nodes on the way, and the steps that nothing is there for. */
export interface Way {
  /** From the root down to the last node that is there. */
  nodes: TextNode[]
  /** The entry of the last step that is there, where it is a member of a mapping. */
  entry: Entry | undefined
  missing: string[]
}

/** Follows a pointer as far as it goes. */
export function follow(root: TextNode, pointer: Pointer): Way {
  const segments = segmentsOf(pointer)
  const nodes = [root]
  let entry: Entry | undefined
  for (let i = 0; i < segments.length; i++) {
    const here = nodes.at(-1)!
    const segment = segments[i]!
    if (here.kind === 'alias') {
      throw new EditFault('It is written elsewhere in the text, and stands here as an alias')
    }
    const member = here.kind === 'map' ? here.entries.find(({ key }) => key === segment) : undefined
    const next = here.kind === 'list' ? here.items[Number(segment)] : member?.value
    if (!next) return { nodes, entry: member, missing: segments.slice(member ? i + 1 : i) }
    entry = member
    nodes.push(next)
  }
  return { nodes, entry, missing: [] }
}

/** Whether something is written at a pointer. */
export const holds = (text: string, syntax: Syntax, pointer: Pointer): boolean =>
  syntax !== 'xml' && follow(readTree(text, syntax), pointer).missing.length === 0

import { getLocation } from 'jsonc-parser'

/** Where a cursor stands in a text of mappings and lists. */
export interface CursorPlace {
  /** The keys and positions to the value that is being written, or to the mapping whose key is. */
  path: (string | number)[]
  asks: 'key' | 'value'
  /** What is written of it already lies from here to the cursor. */
  from: number
  /** Behind the cursor: whether the key has its colon already. */
  closed: boolean
}

/** Where a cursor stands in JSON; undefined inside of what is no key and no text. */
export function placeInJson(text: string, offset: number): CursorPlace | undefined {
  const { path, isAtPropertyKey, previousNode } = getLocation(text, offset)
  const inside =
    previousNode &&
    offset > previousNode.offset &&
    offset < previousNode.offset + previousNode.length
  // Only inside of quotes is it plain what is meant.
  if (!inside || (previousNode.type !== 'string' && previousNode.type !== 'property')) {
    return undefined
  }
  const from = previousNode.offset + 1
  return isAtPropertyKey
    ? { path: path.slice(0, -1), asks: 'key', from, closed: true }
    : { path, asks: 'value', from, closed: true }
}

interface Line {
  spaces: number
  /** How many list items begin in the line. */
  dashes: number
  /** The column of what follows them. */
  column: number
  key: string | undefined
}

const pattern =
  /^( *)((?:- +|-$)*)(?:("(?:[^"\\]|\\.)*"|'[^']*'|[^\s#"'{}[\],&*!|>%@-][^#]*?|-[^\s#][^#]*?) *:(?= |$))?/

/** A key without the quotes around it. */
const unquoted = (key: string) => key.replace(/^(["'])(.*)\1$/, '$2')

function lineOf(text: string): Line | undefined {
  if (/^\s*(?:#.*)?$/.test(text)) return undefined
  const [, spaces = '', dashes = '', key] = pattern.exec(text)!
  return {
    spaces: spaces.length,
    dashes: dashes.match(/-/g)?.length ?? 0,
    column: spaces.length + dashes.length,
    key: key && unquoted(key),
  }
}

/** How far up a text is read for the mappings around a cursor. */
const farthest = 400_000

/** A mapping or list in braces or brackets that is open at a cursor. */
interface OpenFlow {
  kind: 'map' | 'list'
  /** The key whose value is being written, or the position of the item. */
  key: string | undefined
  position: number
}

interface FlowPlace {
  /** The keys and positions to what is being written; the last one is missing while it is a key. */
  steps: (string | number)[]
  asks: CursorPlace['asks']
  /** Where what is written of it begins. */
  from: number
}

const opens: Record<string, OpenFlow['kind']> = { '{': 'map', '[': 'list' }

/** Where a cursor stands in a value of flow style that begins in its line; undefined where nothing is open. */
function placeInFlow(value: string): FlowPlace | undefined {
  const stack: OpenFlow[] = []
  let quote = ''
  let from = 0
  for (let at = 0; at < value.length; at++) {
    const mark = value[at]!
    const top = stack.at(-1)
    if (quote !== '') {
      if (mark === '\\' && quote === '"') at++
      else if (mark === quote) quote = ''
      continue
    }
    const kind = opens[mark]
    if (kind) stack.push({ kind, key: undefined, position: 0 })
    else if (mark === '}' || mark === ']') stack.pop()
    else if (mark === ',' && top) {
      top.key = undefined
      top.position++
    } else if (mark === ':' && top?.kind === 'map' && /^(?:\s|$)/.test(value.slice(at + 1))) {
      top.key = unquoted(value.slice(from, at).trim())
    } else {
      if (mark === '"' || mark === "'") quote = mark
      continue
    }
    from = at + 1
  }
  const top = stack.at(-1)
  if (!top) return undefined
  const written = value.slice(from)
  const steps = stack.flatMap(({ kind, key, position }): (string | number)[] =>
    kind === 'list' ? [position] : key === undefined ? [] : [key],
  )
  return {
    steps,
    // As in block style, an item of a list is asked for as what may become a key.
    asks: top.key === undefined ? 'key' : 'value',
    from: from + written.length - written.trimStart().length + (/^\s*["']/.test(written) ? 1 : 0),
  }
}

/** Where a cursor stands in YAML; undefined in comments, and in texts and flow style that go over many lines. */
export function placeInYaml(text: string, offset: number): CursorPlace | undefined {
  const start = text.lastIndexOf('\n', offset - 1) + 1
  const before = text.slice(start, offset)
  const end = text.indexOf('\n', offset)
  const after = text.slice(offset, end === -1 ? undefined : end)
  if (/(?:^|\s)#/.test(before)) return undefined
  const line = pattern.exec(before)!
  const indent = before.length - before.trimStart().length
  const own = lineOf(before) ?? { spaces: indent, dashes: 0, column: indent, key: undefined }
  const above = text.slice(Math.max(0, start - farthest), start).split('\n')
  above.pop()
  const path = pathAbove(above, own)
  const flow = placeInFlow(before.slice(line[0].length))
  if (flow) {
    const around = own.key === undefined ? path : [...path, own.key]
    const closed = flow.asks === 'value' || /^[\w$.-]*\s*:/.test(after)
    const from = start + line[0].length + flow.from
    return { path: [...around, ...flow.steps], asks: flow.asks, from, closed }
  }
  if (own.key === undefined) {
    if (/^[{[]/.test(before.trimStart())) return undefined
    const from = start + own.column
    if (/^["']|\S\s/.test(text.slice(from, offset))) return undefined
    const closed = /^[\w$.-]*\s*:/.test(after)
    // A word alone in a list is a value; so is what stands below a key and is no key yet, but it may become one.
    return { path, asks: 'key', from, closed }
  }
  const value = before.slice(line[0].length)
  const from = offset - value.trimStart().length + (/^\s*["']/.test(value) ? 1 : 0)
  return { path: [...path, own.key], asks: 'value', from, closed: true }
}

/** The keys and positions above a line, to the mapping or list it stands in. */
function pathAbove(above: string[], own: Line): (string | number)[] {
  const path: (string | number)[] = []
  let column = own.column
  /** Where the items of the list stand whose key is looked for; undefined while a mapping's is. */
  let list: number | undefined
  let position = 0
  const enter = (line: Line) => {
    list = undefined
    column = line.column
    for (let i = line.dashes; i > 0; i--) {
      position = 0
      list = line.spaces
      if (i > 1) path.unshift(0)
    }
  }
  if (own.dashes > 0) enter(own)
  for (let i = above.length - 1; i >= 0; i--) {
    const line = lineOf(above[i]!)
    if (!line) continue
    if (list !== undefined) {
      if (line.dashes > 0 && line.spaces === list) position++
      else if (line.dashes === 0 ? line.spaces <= list : line.column <= list) {
        if (line.key === undefined) continue
        path.unshift(line.key, position)
        enter(line)
      }
    } else if (line.dashes > 0 && line.column === column) enter(line)
    else if (line.column < column && line.key !== undefined) {
      path.unshift(line.key)
      enter(line)
    }
  }
  if (list !== undefined) path.unshift(position)
  return path
}

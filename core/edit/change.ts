import yaml from 'js-yaml'
import type { Pointer } from '../text/pointer'
import type { Syntax } from '../text/read'
import { isObject } from '../text/values'
import { childAt, readXml, type XmlElement } from '../text/xml'
import { endOf, escapeValue, tagOf } from './elements'
import { EditFault, eolOf, follow, readTree, type Entry, type TextNode } from './tree'

/** One change of a text. Pointers name places as they were before any of the changes. */
export type Change =
  | { kind: 'set'; at: Pointer; value: unknown }
  | { kind: 'remove'; at: Pointer }
  | { kind: 'rename'; at: Pointer; to: string }

/** A piece of a text that is replaced. */
export interface Splice {
  from: number
  to: number
  text: string
}

/**
 * The splices that change a text, in its order. Comments, order, quoting, indentation and line ends of everything else
 * stay byte for byte. Throws {@link EditFault} where the text cannot be changed so.
 */
export function splicesFor(text: string, syntax: Syntax, changes: Change[]): Splice[] {
  if (changes.length === 0) return []
  const splices =
    syntax === 'xml' ? xmlSplices(text, changes) : new TreeEditor(text, syntax).splices(changes)
  return inOrder(splices)
}

/** Applies splices that are in the text's order. */
export function applySplices(text: string, splices: Splice[]): string {
  let result = ''
  let at = 0
  for (const { from, to, text: written } of splices) {
    result += text.slice(at, from) + written
    at = to
  }
  return result + text.slice(at)
}

/** Changes a text. Throws {@link EditFault}. */
export const applyChanges = (text: string, syntax: Syntax, changes: Change[]): string =>
  applySplices(text, splicesFor(text, syntax, changes))

/** Sorted, each once; a change inside of what another replaces is part of that. */
function inOrder(splices: Splice[]): Splice[] {
  const sorted = splices
    .map((splice, order) => ({ ...splice, order }))
    .sort((a, b) => a.from - b.from || b.to - a.to || a.order - b.order)
  const kept: Splice[] = []
  for (const { from, to, text } of sorted) {
    const last = kept.at(-1)
    const isSame = last?.from === from && last.to === to && last.text === text
    if (isSame && to > from) continue
    if (last && from < last.to) continue
    kept.push({ from, to, text })
  }
  return kept
}

const nested = (steps: string[], value: unknown): unknown =>
  steps.reduceRight<unknown>((inner, name) => ({ [name]: inner }), value)

/** One mapping with the members of both; where both hold a mapping, those are merged too. */
function merged(a: Record<string, unknown>, b: Record<string, unknown>): Record<string, unknown> {
  const result = { ...a }
  for (const [key, value] of Object.entries(b)) {
    const known = result[key]
    result[key] = isObject(known) && isObject(value) ? merged(known, value) : value
  }
  return result
}

/** Texts that mean themselves in YAML, wherever they stand; versions are among them, numbers are not. */
const plain = /^(?:[A-Za-z_$][\w/@-]*(?:[ .][\w/@-]+)*\.?|\d+(?:\.\d+){2,}(?:-[\w.-]+)?)$/
/** Readers of YAML 1.1 take these for yes or no. */
const oldTruth = /^(?:y|n|yes|no|on|off)$/i

const quoted = (text: string): string =>
  // A line end, or what cannot be seen, is written out.
  /[^\x20-\x7E\u00A0-\uD7FF\uE000-\uFFFD]/.test(text)
    ? JSON.stringify(text)
    : `'${text.replaceAll("'", "''")}'`

/** A value of YAML on one line. */
function inlineYaml(value: unknown): string {
  if (typeof value === 'string') {
    return plain.test(value) && !oldTruth.test(value) && yaml.load(value) === value
      ? value
      : quoted(value)
  }
  if (Array.isArray(value)) return `[${value.map(inlineYaml).join(', ')}]`
  if (typeof value === 'object' && value !== null) {
    const members = Object.entries(value).map(
      ([name, item]) => `${inlineYaml(name)}: ${inlineYaml(item)}`,
    )
    return members.length === 0 ? '{}' : `{ ${members.join(', ')} }`
  }
  return JSON.stringify(value) ?? 'null'
}

/** Whether a name needs no quotes as a key of a mapping over lines. */
function isPlainKey(name: string): boolean {
  try {
    const read = yaml.load(`${name}: 1`)
    return (
      isObject(read) && Object.keys(read).length === 1 && read[name] === 1 && !oldTruth.test(name)
    )
  } catch {
    return false
  }
}

class TreeEditor {
  private readonly root: TextNode
  private readonly eol: string
  private readonly step: string

  constructor(
    private readonly text: string,
    private readonly syntax: 'json' | 'yaml',
  ) {
    this.root = readTree(text, syntax)
    this.eol = eolOf(text)
    this.step =
      syntax === 'json'
        ? (/\n([ \t]+)\S/.exec(text)?.[1] ?? '')
        : (/^(?:[^\s#-][^\n]*):[ \t]*\r?\n( +)\S/m.exec(text)?.[1] ?? '  ')
  }

  splices(changes: Change[]): Splice[] {
    const added = new Map<TextNode | Entry, Record<string, unknown>>()
    const splices = changes.flatMap((change) => {
      switch (change.kind) {
        case 'set':
          return this.set(change.at, change.value, added)
        case 'remove':
          return this.remove(change.at)
        case 'rename':
          return this.rename(change.at, change.to)
      }
    })
    for (const [into, members] of added) splices.push(...this.addedTo(into, members))
    return [...splices, ...this.rescued(splices)]
  }

  /**
   * Where a part goes that other places use by its name (YAML 1.2, section 7.1), the first of them takes over what it
   * was, and the name.
   */
  private rescued(splices: Splice[]): Splice[] {
    const isLost = ({ start, end }: TextNode) => {
      const last = start + this.text.slice(start, end).trimEnd().length
      return splices.some(({ from, to }) => from <= start && to >= last)
    }
    const lost = new Set<string>()
    const rescued: Splice[] = []
    const visit = (node: TextNode, entry: Entry | undefined): void => {
      if (node.kind !== 'alias' && node.anchor !== '') {
        if (isLost(node)) lost.add(node.anchor)
        else lost.delete(node.anchor)
      }
      if (node.kind === 'alias' && lost.has(node.anchor) && !isLost(node)) {
        lost.delete(node.anchor)
        rescued.push(this.writtenOut(node, entry))
      }
      for (const item of node.items) visit(item, undefined)
      for (const member of node.entries) if (member.value) visit(member.value, member)
    }
    visit(this.root, undefined)
    return rescued
  }

  private writtenOut({ start, end, anchor, value }: TextNode, entry: Entry | undefined): Splice {
    const text = entry
      ? this.afterKey(value?.(), this.columnOf(entry.keyStart))
      : ` ${inlineYaml(value?.())}`
    return { from: start, to: end, text: `&${anchor}${text}` }
  }

  /** Replaces what is there; what is missing is gathered by where it goes, as several may need the same parents. */
  private set(
    at: Pointer,
    value: unknown,
    added: Map<TextNode | Entry, Record<string, unknown>>,
  ): Splice[] {
    const { nodes, entry, missing } = follow(this.root, at)
    const last = nodes.at(-1)!
    if (missing.length === 0) {
      return entry && !entry.value
        ? [this.valued(entry, value)]
        : [this.replaced(last, entry, value)]
    }
    if (last.kind === 'list') return [this.appendedItem(last, nested(missing.slice(1), value))]
    if (last.kind !== 'map') throw new EditFault('There is a plain value where a mapping is needed')
    // A key that stands without a value takes what is missing below it.
    const into = entry && !entry.value ? entry : last
    added.set(
      into,
      merged(added.get(into) ?? {}, nested(missing, value) as Record<string, unknown>),
    )
    return []
  }

  private addedTo(into: TextNode | Entry, members: Record<string, unknown>): Splice[] {
    if ('keyStart' in into) return [this.valued(into, members)]
    if (into.entries.length === 0) return [this.replaced(into, undefined, members)]
    return Object.entries(members).map(([key, value]) => this.added(into, key, value))
  }

  private replaced(node: TextNode, entry: Entry | undefined, value: unknown): Splice {
    if (this.syntax === 'json' || node.flow) {
      const isPlain = typeof value !== 'object' || value === null
      if (node.quote === 'block' && entry)
        return {
          from: this.afterColon(entry),
          to: this.lineBefore(node.end),
          text: ` ${this.scalar(value, "'")}`,
        }
      const text =
        isPlain && node.kind === 'scalar'
          ? this.scalar(value, node.quote)
          : this.inline(value, this.indentAt(node.start))
      return { from: node.start, to: node.end, text }
    }
    if (!entry) throw new EditFault('An item of a list is changed by hand')
    return {
      from: this.afterColon(entry),
      to: this.lineBefore(node.end),
      text: this.afterKey(value, this.columnOf(entry.keyStart)),
    }
  }

  /** Gives a value to a key that has none. */
  private valued(entry: Entry, value: unknown): Splice {
    const at = this.afterColon(entry)
    return { from: at, to: at, text: this.afterKey(value, this.columnOf(entry.keyStart)) }
  }

  /** Adds a member behind the last one of a mapping that has some. */
  private added(map: TextNode, key: string, value: unknown): Splice {
    const [first, last] = [map.entries[0]!, map.entries.at(-1)!]
    if (!map.flow) {
      const column = this.columnOf(first.keyStart)
      const at = this.lineAfter(last.end)
      const lead = at === this.text.length && !this.text.endsWith('\n') ? this.eol : ''
      const line = `${' '.repeat(column)}${this.key(key)}:${this.afterKey(value, column)}${this.eol}`
      return { from: at, to: at, text: lead + line }
    }
    const isSpread =
      this.syntax === 'json' && this.text.slice(map.start, first.keyStart).includes('\n')
    const indent = this.indentAt(isSpread ? first.keyStart : map.start)
    const member = `${this.key(key)}: ${this.inline(value, indent)}`
    const lead = isSpread ? `,${this.eol}${indent}` : ', '
    return { from: last.end, to: last.end, text: lead + member }
  }

  private appendedItem(list: TextNode, value: unknown): Splice {
    const last = list.items.at(-1)
    if (list.flow) {
      const at = last?.end ?? list.start + 1
      return {
        from: at,
        to: at,
        text: `${last ? ', ' : ''}${this.inline(value, this.indentAt(list.start))}`,
      }
    }
    if (!last) throw new EditFault('There is no list to add to')
    const column = this.columnOf(list.start)
    const at = this.lineAfter(last.end)
    const lines = this.dumped([value], column)
    return { from: at, to: at, text: lines }
  }

  private remove(at: Pointer): Splice[] {
    const { nodes, entry, missing } = follow(this.root, at)
    if (missing.length > 0 && !(entry && missing.length === 0)) return []
    const parent = nodes.at(-2)
    if (!parent) throw new EditFault('The whole text cannot be taken away')
    if (parent.kind === 'map') return [this.withoutEntry(parent, entry!)]
    return [this.withoutItem(parent, nodes.at(-1)!)]
  }

  private withoutEntry(map: TextNode, entry: Entry): Splice {
    const index = map.entries.indexOf(entry)
    const next = map.entries[index + 1]
    const before = map.entries[index - 1]
    if (!next && !before) {
      return { from: map.start, to: map.flow ? map.end : this.lineBefore(map.end), text: '{}' }
    }
    if (map.flow)
      return next
        ? { from: entry.keyStart, to: next.keyStart, text: '' }
        : { from: before!.end, to: entry.end, text: '' }
    // The first member of a list's item shares its line with the dash.
    if (this.text.slice(this.lineStart(entry.keyStart), entry.keyStart).trim() !== '') {
      return { from: entry.keyStart, to: next!.keyStart, text: '' }
    }
    return { from: this.lineStart(entry.keyStart), to: this.lineAfter(entry.end), text: '' }
  }

  private withoutItem(list: TextNode, item: TextNode): Splice {
    const index = list.items.indexOf(item)
    const next = list.items[index + 1]
    const before = list.items[index - 1]
    if (!next && !before)
      return { from: list.start, to: list.flow ? list.end : this.lineBefore(list.end), text: '[]' }
    if (list.flow)
      return next
        ? { from: item.start, to: next.start, text: '' }
        : { from: before!.end, to: item.end, text: '' }
    return { from: this.lineStart(item.start), to: this.lineAfter(item.end), text: '' }
  }

  private rename(at: Pointer, to: string): Splice[] {
    const { nodes, entry, missing } = follow(this.root, at)
    if (!entry || missing.length > 0) return []
    const written = this.text[entry.keyStart]
    const quote = written === '"' || written === "'" ? written : ''
    const staysPlain =
      this.syntax === 'yaml' && quote === '' && nodes.at(-2)?.flow === false && isPlainKey(to)
    return [
      { from: entry.keyStart, to: entry.keyEnd, text: staysPlain ? to : this.scalar(to, quote) },
    ]
  }

  /** A plain value in the quotes that stood there, where it can be. */
  private scalar(value: unknown, quote: TextNode['quote']): string {
    if (this.syntax === 'json') return JSON.stringify(value) ?? 'null'
    if (typeof value !== 'string') return inlineYaml(value)
    if (quote === '"') return JSON.stringify(value)
    return quote === '' ? inlineYaml(value) : quoted(value)
  }

  private key(name: string): string {
    return this.syntax === 'json' ? JSON.stringify(name) : this.scalar(name, '')
  }

  /** A value on one line, or in JSON over lines where the text is written so. */
  private inline(value: unknown, indent: string): string {
    if (this.syntax === 'yaml') return inlineYaml(value)
    const text = JSON.stringify(value, null, this.step) ?? 'null'
    return text.replaceAll('\n', `${this.eol}${indent}`)
  }

  /** What follows a key and its colon in block style. */
  private afterKey(value: unknown, column: number): string {
    const isEmpty = typeof value === 'object' && value !== null && Object.keys(value).length === 0
    if (typeof value !== 'object' || value === null || isEmpty) return ` ${this.scalar(value, '')}`
    return `${this.eol}${this.dumped(value, column + this.step.length).replace(/\r?\n$/, '')}`
  }

  private dumped(value: unknown, column: number): string {
    const pad = ' '.repeat(column)
    const lines = yaml.dump(value, {
      indent: this.step.length || 2,
      lineWidth: 120,
      noRefs: true,
      quotingType: "'",
    })
    return (
      lines
        .trimEnd()
        .split('\n')
        .map((line) => (line === '' ? line : pad + line))
        .join(this.eol) + this.eol
    )
  }

  private afterColon(entry: Entry): number {
    return this.text.indexOf(':', entry.keyEnd) + 1
  }
  private lineStart(offset: number): number {
    return this.text.lastIndexOf('\n', offset - 1) + 1
  }
  private columnOf(offset: number): number {
    return offset - this.lineStart(offset)
  }
  private indentAt(offset: number): string {
    return /^[ \t]*/.exec(this.text.slice(this.lineStart(offset), offset))![0]
  }
  /** Behind the line in which something ends. */
  private lineAfter(end: number): number {
    if (end > 0 && this.text[end - 1] === '\n') return end
    const next = this.text.indexOf('\n', end)
    return next === -1 ? this.text.length : next + 1
  }
  /** The end of something without the line end behind it. */
  private lineBefore(end: number): number {
    let at = end
    while (at > 0 && /\s/.test(this.text[at - 1]!)) at--
    return at
  }
}

/** In XML a change of an attribute, named behind the element's path, or of the `name` of an element. */
function xmlSplices(text: string, changes: Change[]): Splice[] {
  const { root } = readXml(text)
  if (!root) throw new EditFault('The text has to be readable before it can be changed')
  return changes.flatMap((change) => {
    const slash = change.at.lastIndexOf('/@')
    const element = elementAt(root, slash === -1 ? change.at : change.at.slice(0, slash))
    const name = slash === -1 ? 'name' : change.at.slice(slash + 2)
    if (!element) return []
    if (change.kind === 'remove' && slash === -1) return [withoutElement(text, element)]
    const value =
      change.kind === 'set'
        ? String(change.value)
        : change.kind === 'rename'
          ? change.to
          : undefined
    return attributeSplice(text, element, name, value)
  })
}

function elementAt(root: XmlElement, path: Pointer): XmlElement | undefined {
  let element: XmlElement | undefined = root
  for (const step of path.split('/').slice(2)) element = element && childAt(element, step)
  return element
}

function attributeSplice(
  text: string,
  element: XmlElement,
  name: string,
  value: string | undefined,
): Splice[] {
  const tag = tagOf(text, element.start)
  const found = new RegExp(`(\\s+)${name.replace(/[^\w:.-]/g, '')}\\s*=\\s*("[^"]*"|'[^']*')`).exec(
    tag,
  )
  if (value === undefined)
    return found
      ? [
          {
            from: element.start + found.index,
            to: element.start + found.index + found[0].length,
            text: '',
          },
        ]
      : []
  const escaped = escapeValue(value)
  if (found) {
    const from = element.start + found.index + found[0].length - found[2]!.length + 1
    return [{ from, to: from + found[2]!.length - 2, text: escaped }]
  }
  const at = element.start + /^<[^\s/>]+/.exec(tag)![0].length
  return [{ from: at, to: at, text: ` ${name}="${escaped}"` }]
}

function withoutElement(text: string, element: XmlElement): Splice {
  const to = endOf(text, element)
  const lineStart = text.lastIndexOf('\n', element.start) + 1
  const isAlone =
    text.slice(lineStart, element.start).trim() === '' && /^[ \t]*(?:\r?\n|$)/.test(text.slice(to))
  if (!isAlone) return { from: element.start, to, text: '' }
  const lineEnd = text.indexOf('\n', to)
  return { from: lineStart, to: lineEnd === -1 ? text.length : lineEnd + 1, text: '' }
}

export { EditFault } from './tree'

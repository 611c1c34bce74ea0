import yaml from 'js-yaml'
import { countMembers, jsonFaults, locateInJson, namesWritten, repeatedNames } from './json'
import { limits, tooLargeSays, measure, type Measure } from './limits'
import { pointerTo, type Pointer } from './pointer'
import { Lines, type Position, type Diagnostic, type TextFault } from './diagnostic'
import { locateInXml, readXml, type XmlElement } from './xml'
import { locateInYaml, mayShareParts, readYamlText, yamlFaults, type LoadedYaml } from './yaml'

export type Syntax = 'json' | 'yaml' | 'xml'

/** One file as text, with the name it is shown by. */
export interface SourceText {
  file: string
  text: string
}

/** A text read into plain values or elements, or what stands in the way. */
export type TextReading =
  | { readable: true; syntax: 'json'; value: unknown; diagnostics: Diagnostic[] }
  | { readable: true; syntax: 'yaml'; value: unknown; diagnostics: Diagnostic[]; inBlocks: boolean }
  | { readable: true; syntax: 'xml'; root: XmlElement; diagnostics: Diagnostic[] }
  | { readable: false; syntax: Syntax; diagnostics: Diagnostic[] }

const failing = (file: string, message: string): Diagnostic => ({
  severity: 'error',
  message,
  file,
  line: 1,
  column: 1,
})

/**
 * Bytes as text: UTF-8 with or without a byte order mark, UTF-16 by its mark or its pattern, and whatever an XML
 * declaration names (XML 1.0, appendix F). Anything else is named for what it looks like.
 */
export function decodeText(
  bytes: Uint8Array,
  file: string,
): { text: string } | { problem: Diagnostic } {
  if (bytes.byteLength > limits.bytes) {
    return { problem: failing(file, tooLargeSays(bytes.byteLength)) }
  }
  const encoding = encodingOf(bytes)
  if (encoding === undefined) {
    return {
      problem: failing(file, 'This is a binary file, not a text; bring in the definition itself'),
    }
  }
  try {
    return { text: new TextDecoder(encoding, { fatal: true }).decode(bytes) }
  } catch (error) {
    const unknown = error instanceof RangeError
    return {
      problem: failing(
        file,
        unknown
          ? `The encoding "${encoding}" is not known; save the text as UTF-8`
          : `The text is not ${encoding.toUpperCase()}; save it as UTF-8 and bring it in again`,
      ),
    }
  }
}

function encodingOf(bytes: Uint8Array): string | undefined {
  const [a, b, c, d] = bytes
  if (a === 0xff && b === 0xfe) return 'utf-16le'
  if (a === 0xfe && b === 0xff) return 'utf-16be'
  if (a !== 0 && b === 0 && c !== 0 && d === 0) return 'utf-16le'
  if (a === 0 && b !== 0 && c === 0 && d !== 0) return 'utf-16be'
  const head = bytes.subarray(0, 8000)
  if (head.includes(0)) return undefined
  const start = new TextDecoder('latin1').decode(head.subarray(0, 200))
  return (
    /^\s*<\?xml[^>]*\bencoding\s*=\s*["']([\w.:-]+)["']/.exec(start)?.[1]?.toLowerCase() ?? 'utf-8'
  )
}

/**
 * A text in the encoding of the bytes it was read from, with their byte order mark; undefined where that encoding is none
 * of Unicode's.
 */
export function encodeLike(text: string, bytes: Uint8Array): Uint8Array | undefined {
  const encoding = encodingOf(bytes)
  const marked = /^(?:efbbbf|fffe|feff)/.test(hexOf(bytes.subarray(0, 3)))
  const whole = marked && !text.startsWith('\uFEFF') ? `\uFEFF${text}` : text
  if (encoding === 'utf-8' || encoding === 'utf8') return new TextEncoder().encode(whole)
  if (encoding !== 'utf-16le' && encoding !== 'utf-16be') return undefined
  const view = new DataView(new ArrayBuffer(whole.length * 2))
  for (let i = 0; i < whole.length; i++) {
    view.setUint16(i * 2, whole.charCodeAt(i), encoding === 'utf-16le')
  }
  return new Uint8Array(view.buffer)
}

const hexOf = (bytes: Uint8Array) =>
  [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('')

/** Reads JSON (RFC 8259), YAML 1.2 or XML 1.0, told apart by the first character. */
export function readText(source: SourceText): TextReading {
  const { text, file } = source
  const start = /^\uFEFF?\s*/.exec(text)![0].length
  if (start === text.length) {
    return { readable: false, syntax: 'yaml', diagnostics: [failing(file, 'The text is empty')] }
  }
  const first = text[start]
  if (first === '<') return readElements(source)
  if (first !== '{' && first !== '[') return readYaml(source)
  const json = readJson(source)
  if (json.readable || !/\.(ya?ml|raml)$/i.test(file)) return json
  const flow = readYaml(source)
  return flow.readable ? flow : json
}

function problemsFrom(
  { text, file }: SourceText,
  severity: Diagnostic['severity'],
  faults: TextFault[],
): Diagnostic[] {
  if (faults.length === 0) return []
  const lines = new Lines(text)
  return faults.map(({ message, offset }) => ({ severity, message, file, ...lines.at(offset) }))
}

function readJson(source: SourceText): TextReading {
  const { text } = source
  const syntax = 'json'
  let value: unknown
  try {
    value = JSON.parse(text.charCodeAt(0) === 0xfeff ? text.slice(1) : text)
  } catch {
    return { readable: false, syntax, diagnostics: problemsFrom(source, 'error', jsonFaults(text)) }
  }
  const { members, tooDeep } = countMembers(value)
  if (tooDeep) {
    return { readable: false, syntax, diagnostics: problemsFrom(source, 'error', jsonFaults(text)) }
  }
  const repeated = members === namesWritten(text) ? [] : repeatedNames(text)
  return { readable: true, syntax, value, diagnostics: problemsFrom(source, 'warning', repeated) }
}

function readYaml(source: SourceText): TextReading {
  const { text, file } = source
  const syntax = 'yaml'
  let loaded: LoadedYaml
  try {
    loaded = readYamlText(text)
  } catch (error) {
    if (!(error instanceof yaml.YAMLException)) throw error
    const { line, column } = error.mark ?? { line: 0, column: 0 }
    const position = { file, line: line + 1, column: column + 1 }
    if (error.reason.startsWith('nesting exceeded')) {
      return { readable: false, syntax, diagnostics: [tooDeep(position)] }
    }
    const first: Diagnostic = { severity: 'error', message: sentence(error.reason), ...position }
    const others = problemsFrom(source, 'error', yamlFaults(text))
    return { readable: false, syntax, diagnostics: independent(text, first, others) }
  }
  const { value, inBlocks } = loaded
  // Where no part is used twice, only its depth can make it too much.
  const isTree = (inBlocks || !mayShareParts(text)) && !countMembers(value).tooDeep
  const size: Measure = isTree ? { fits: true } : measure(value)
  if (size.fits) return { readable: true, syntax, value, diagnostics: [], inBlocks }
  const at = pointerTo('', ...size.at)
  const position = { file, ...locate(text, 'yaml', [at]).get(at)! }
  const problem: Diagnostic =
    size.why === 'depth'
      ? tooDeep(position)
      : {
          severity: 'error',
          message:
            size.why === 'circle'
              ? 'An alias stands inside its own anchor; write the part out or use $ref'
              : `Its aliases multiply to more than ${limits.nodes.toLocaleString('en')} parts; write them out or use $ref`,
          ...position,
        }
  return { readable: false, syntax, diagnostics: [problem] }
}

/** A line where a new part of a definition begins: what is wrong before it is not felt after it. */
const beginsAnew = /^\S|^ {1,4}['"]?\/\S/

/** A slip is felt further down; of what follows the first fault, only one in each new part is a fault of its own. */
function independent(text: string, first: Diagnostic, others: Diagnostic[]): Diagnostic[] {
  const lines = text.split('\n')
  const kept = [first]
  for (const problem of others) {
    const before = kept.at(-1)!.line
    const between = lines.slice(before, Math.max(before, problem.line))
    if (problem.line > before && between.some((line) => beginsAnew.test(line))) kept.push(problem)
  }
  return kept
}

function readElements(source: SourceText): TextReading {
  const { root, faults } = readXml(source.text)
  const diagnostics = problemsFrom(source, 'error', faults)
  if (root && diagnostics.length === 0) return { readable: true, syntax: 'xml', root, diagnostics }
  return {
    readable: false,
    syntax: 'xml',
    diagnostics:
      diagnostics.length > 0 ? diagnostics : [failing(source.file, 'The document has no element')],
  }
}

const tooDeep = (position: Position & { file: string }): Diagnostic => ({
  severity: 'error',
  message: `Nested deeper than ${limits.depth} levels; definitions this deep are refused`,
  ...position,
})

const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** What is known of a text already, and need not be worked out again. */
export interface KnownText {
  root?: XmlElement | undefined
  lines?: Lines
  inBlocks?: boolean
}

/** Lines and columns of many pointers in one pass; a pointer without a place gets its nearest ancestor's. */
export function locate(
  text: string,
  syntax: Syntax,
  pointers: Iterable<Pointer>,
  { root, lines = new Lines(text), inBlocks }: KnownText = {},
): Map<Pointer, Position> {
  const offsets =
    syntax === 'xml'
      ? locateInXml(root ?? readXml(text).root, pointers)
      : syntax === 'json'
        ? locateInJson(text, pointers)
        : locateInYaml(text, pointers, inBlocks)
  const positions = new Map<Pointer, Position>()
  for (const [pointer, offset] of offsets) positions.set(pointer, lines.at(offset))
  return positions
}

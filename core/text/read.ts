import yaml from 'js-yaml'
import { jsonFaults, locateInJson } from './json'
import { limits, measure } from './limits'
import { pointerTo, type Pointer } from './pointer'
import { lineIndex, positionAt, type PlacedProblem, type Position, type Problem } from './problem'
import { loadYaml, locateInYaml } from './yaml'

export type Syntax = 'json' | 'yaml'

/** One file as text, with the name it is shown by. */
export interface SourceText {
  file: string
  text: string
}

/** A text read into plain values, or what stands in the way. */
export type TextReading =
  { readable: true; syntax: Syntax; value: unknown } | { readable: false; problems: Problem[] }

const refuse = (problem: Problem): TextReading => ({ readable: false, problems: [problem] })

/** Bytes as text: UTF-8, with or without a byte order mark. Anything else is named for what it looks like. */
export function decodeText(
  bytes: Uint8Array,
  file: string,
): { text: string } | { problem: Problem } {
  const failed = (message: string) => ({
    problem: { level: 'error' as const, message, file, line: 1, column: 1 },
  })
  if (bytes.byteLength > limits.bytes) {
    const size = (bytes.byteLength / 1024 / 1024).toFixed(1)
    return failed(`The file has ${size} MB; up to ${limits.bytes / 1024 / 1024} MB are read`)
  }
  if (bytes.subarray(0, 8000).includes(0)) {
    return failed(
      'This is a binary file, not a text; bring in the definition itself as YAML or JSON',
    )
  }
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes) }
  } catch {
    return failed('The text is not UTF-8; save it as UTF-8 and bring it in again')
  }
}

/** Reads JSON (RFC 8259) or YAML 1.2 into values, told apart by the first character. */
export function readText({ text, file }: SourceText): TextReading {
  const start = /^\uFEFF?\s*/.exec(text)![0].length
  if (start === text.length) {
    return refuse({ level: 'error', message: 'The text is empty', file, line: 1, column: 1 })
  }
  const first = text[start]
  return first === '{' || first === '[' ? readJson(text, file) : readYaml(text, file)
}

function readJson(text: string, file: string): TextReading {
  const faults = jsonFaults(text)
  if (faults.length > 0) {
    const position = lineIndex(text)
    return {
      readable: false,
      problems: faults.map((fault) => ({
        level: 'error',
        message: fault.message,
        file,
        ...position(fault.offset),
      })),
    }
  }
  return measured({ file, text }, 'json', JSON.parse(text.replace(/^\uFEFF/, '')))
}

function readYaml(text: string, file: string): TextReading {
  let value: unknown
  try {
    value = loadYaml(text)
  } catch (error) {
    if (error instanceof yaml.YAMLException) {
      const { line, column } = error.mark ?? { line: 0, column: 0 }
      if (error.reason.startsWith('nesting exceeded')) {
        return refuse(tooDeep({ file, line: line + 1, column: column + 1 }))
      }
      return refuse({
        level: 'error',
        message: sentence(error.reason),
        file,
        line: line + 1,
        column: column + 1,
      })
    }
    throw error
  }
  return measured({ file, text }, 'yaml', value)
}

function measured(source: SourceText, syntax: Syntax, value: unknown): TextReading {
  const measure_ = measure(value)
  if (measure_.fits) return { readable: true, syntax, value }
  const at = pointerTo('', ...measure_.at)
  const position = { file: source.file, ...locate(source.text, syntax, [at]).get(at)! }
  if (measure_.why === 'depth') return refuse(tooDeep(position))
  return refuse({
    level: 'error',
    message:
      measure_.why === 'circle'
        ? 'An alias stands inside its own anchor; write the part out or use $ref'
        : `Its aliases multiply to more than ${limits.nodes.toLocaleString('en')} parts; write them out or use $ref`,
    ...position,
  })
}

const tooDeep = (position: Position & { file: string }): Problem => ({
  level: 'error',
  message: `Nested deeper than ${limits.depth} levels; definitions this deep are refused`,
  ...position,
})

const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

/** Lines and columns of many pointers in one pass; a pointer without a place gets its nearest ancestor's. */
export function locate(
  text: string,
  syntax: Syntax,
  pointers: Iterable<Pointer>,
): Map<Pointer, Position> {
  const offsets = (syntax === 'json' ? locateInJson : locateInYaml)(text, pointers)
  const position = lineIndex(text)
  return new Map([...offsets].map(([pointer, offset]) => [pointer, position(offset)]))
}

/** Turns problems of values into problems with line and column. */
export function placeProblems(
  source: SourceText,
  syntax: Syntax,
  problems: PlacedProblem[],
): Problem[] {
  if (problems.length === 0) return []
  const places = locate(
    source.text,
    syntax,
    problems.map((problem) => problem.at),
  )
  return problems.map(({ level, message, at }) => ({
    level,
    message,
    file: source.file,
    ...(places.get(at) ?? positionAt(source.text, 0)),
  }))
}

import { plainSegment } from './target'

/** A path as a gateway matches it: literal text and parameters, segment by segment. */
export interface PathTemplate {
  segments: Segment[]
  /** True where everything below the last segment matches too (Gateway API `PathPrefix`). */
  open: boolean
}

export type Segment =
  | { kind: 'literal'; text: string }
  | { kind: 'parameter'; name: string }
  /** Literal text around parameters: `report-{year}.{format}` has the pieces `report-`, `.` and an empty one. */
  | { kind: 'mixed'; text: string; names: string[]; pieces: string[] }

function segmentOf(text: string): Segment {
  const whole = /^\{([^{}]+)\}$/.exec(text)
  if (whole) return { kind: 'parameter', name: whole[1]! }
  if (!text.includes('{')) return { kind: 'literal', text: plainSegment(text) }
  return {
    kind: 'mixed',
    text,
    names: [...text.matchAll(/\{([^{}]*)\}/g)].map(([, name]) => name!),
    pieces: text.split(/\{[^{}]*\}/).map(plainSegment),
  }
}

/** Reads `/notices/{id}` into a template. */
export function parseTemplate(path: string, open = false): PathTemplate {
  const parts = splitPath(path)
  if (open && parts.at(-1) === '') parts.pop()
  return { segments: parts.map(segmentOf), open }
}

/** The segments of a path. A slash at the end makes an empty last one: `/a/` is not `/a`. */
export const splitPath = (path: string): string[] => path.slice(1).split('/')

const segmentText = (segment: Segment) =>
  segment.kind === 'parameter' ? `{${segment.name}}` : segment.text

/** Writes a template back; the inverse of {@link parseTemplate}. */
export const templateText = ({ segments }: PathTemplate) =>
  '/' + segments.map(segmentText).join('/')

/** Whether a template takes a concrete path, by the rules the gateway uses. */
export function templateMatches(template: PathTemplate, path: string): boolean {
  const parts = splitPath(path)
  const { segments, open } = template
  if (open ? parts.length < segments.length : parts.length !== segments.length) return false
  return segments.every((segment, index) => segmentMatches(segment, plainSegment(parts[index]!)))
}

/** Whether a segment takes a decoded part of a path, in one pass over it. */
export function segmentMatches(segment: Segment, part: string): boolean {
  if (segment.kind === 'literal') return segment.text === part
  if (segment.kind === 'parameter') return part !== ''
  return between(segment.pieces, part) !== undefined
}

/**
 * What stands between pieces of literal text, from left to right; undefined where they do not match. Each value has one
 * character at least, and the earliest place of a piece is always the best.
 */
function between(pieces: readonly string[], part: string): string[] | undefined {
  const [first = ''] = pieces
  const last = pieces.at(-1)!
  if (!part.startsWith(first) || !part.endsWith(last)) return undefined
  const values: string[] = []
  let from = first.length
  for (const piece of pieces.slice(1, -1)) {
    const found = part.indexOf(piece, from + 1)
    if (found === -1) return undefined
    values.push(part.slice(from, found))
    from = found + piece.length
  }
  const end = part.length - last.length
  return end > from ? [...values, part.slice(from, end)] : undefined
}

/** The value of a path parameter: decoded, and as it can stand in a path again. */
export interface PathValue {
  text: string
  written: string
}

/**
 * The values that a path has for the parameters of a template, by their names; undefined where the template does not take
 * the path. What matches and what has values is decided by the same pass over decoded text.
 */
export function pathValues(
  { segments, open }: PathTemplate,
  path: string,
): Map<string, PathValue> | undefined {
  const parts = splitPath(path)
  if (open ? parts.length < segments.length : parts.length !== segments.length) return undefined
  const values = new Map<string, PathValue>()
  for (const [index, segment] of segments.entries()) {
    const part = parts[index]!
    const plain = plainSegment(part)
    if (segment.kind !== 'mixed') {
      if (!segmentMatches(segment, plain)) return undefined
      if (segment.kind === 'parameter') values.set(segment.name, { text: plain, written: part })
      continue
    }
    const found = between(segment.pieces, plain)
    if (!found) return undefined
    segment.names.forEach((name, n) => {
      const text = found[n]!
      // Of a part of a segment nobody can say which of its bytes were encoded.
      const written = plain === part ? text : encodeURIComponent(text)
      values.set(name, { text, written })
    })
  }
  return values
}

/** Why a path cannot be a template; undefined where it can. */
export function whyNoTemplate(path: string): string | undefined {
  if (!path.startsWith('/')) return 'has no slash in front'
  if (path.length > 2000) return 'is longer than 2,000 characters'
  if (path.includes('}{')) return 'has two parameters with nothing between them'
  if (/[\\?#]/.test(path) || hasControl(path)) return 'has a character that a path may not have'
  if (/[{}]/.test(path.replace(/\{[^{}/]+\}/g, ''))) return 'has a brace that stands alone'
  const literal = path.replace(/\{[^{}/]+\}/g, 'x')
  if (/(?:^|\/)\.{1,2}(?:\/|$)/.test(literal)) return 'has a dot segment'
  if (literal.includes('//')) return 'has an empty segment'
  return undefined
}

const controls = new RegExp('[\\u0000-\\u001f\\u007f]')

/** Whether a text has a control character (RFC 20), which neither paths nor headers carry. */
export const hasControl = (text: string) => controls.test(text)

const escapePattern = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')

/**
 * A template as the value of a `RegularExpression` path match (HTTPPathMatch): anchored, one named group for each
 * parameter, everything else literal. {@link fromPattern} reads back exactly this shape and nothing wider, so that a
 * gateway never runs a stranger's expression.
 */
export function toPattern(path: string): string {
  return (
    '^' +
    path
      .split(/(\{[^{}]*\})/)
      .map((part) => {
        const parameter = /^\{([^{}]*)\}$/.exec(part)
        return parameter ? `(?P<${parameter[1]!.replace(/\W/g, '_')}>[^/]+)` : escapePattern(part)
      })
      .join('') +
    '$'
  )
}

/** The template path of a pattern, or undefined where it is not of the shape {@link toPattern} writes. */
export function fromPattern(pattern: string): string | undefined {
  if (!pattern.startsWith('^/') || !pattern.endsWith('$')) return undefined
  const token = /\(\?P<(\w+)>\[\^\/\]\+\)|\\([.*+?^${}()|[\]\\])|([^.*+?^${}()|[\]\\])/y
  const end = pattern.length - 1
  let path = ''
  token.lastIndex = 1
  while (token.lastIndex < end) {
    const found = token.exec(pattern)
    if (!found) return undefined
    path += found[1] === undefined ? (found[2] ?? found[3])! : `{${found[1]}}`
  }
  return token.lastIndex === end ? path : undefined
}

/** A path as a gateway matches it: literal text and parameters, segment by segment. */
export interface PathTemplate {
  segments: Segment[]
  /** True where everything below the last segment matches too (Gateway API `PathPrefix`). */
  open: boolean
}

export type Segment =
  | { kind: 'literal'; text: string }
  | { kind: 'parameter'; name: string }
  | { kind: 'mixed'; text: string; pattern: RegExp }

const escapePattern = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')

function segmentOf(text: string): Segment {
  const whole = /^\{([^{}]+)\}$/.exec(text)
  if (whole) return { kind: 'parameter', name: whole[1]! }
  if (!text.includes('{')) return { kind: 'literal', text }
  const pattern = text
    .split(/\{[^{}]*\}/)
    .map(escapePattern)
    .join('[^/]+?')
  return { kind: 'mixed', text, pattern: new RegExp(`^${pattern}$`) }
}

/** Reads `/notices/{id}` into a template. */
export function parseTemplate(path: string, open = false): PathTemplate {
  return { segments: splitPath(path).map(segmentOf), open }
}

/** The segments of a path, without empty ones at either end. */
export function splitPath(path: string): string[] {
  const parts = path.split('/')
  if (parts[0] === '') parts.shift()
  if (parts.at(-1) === '') parts.pop()
  return parts
}

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
  return segments.every((segment, index) => segmentMatches(segment, parts[index]!))
}

export function segmentMatches(segment: Segment, part: string): boolean {
  if (segment.kind === 'literal') return segment.text === part
  if (segment.kind === 'parameter') return part !== ''
  return segment.pattern.test(part)
}

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
  let path = ''
  let rest = pattern.slice(1, -1)
  while (rest !== '') {
    const token =
      /^\(\?P<(\w+)>\[\^\/\]\+\)/.exec(rest) ??
      /^\\([.*+?^${}()|[\]\\])/.exec(rest) ??
      /^([^.*+?^${}()|[\]\\])/.exec(rest)
    if (!token) return undefined
    path += token[0].startsWith('(') ? `{${token[1]!}}` : token[1]!
    rest = rest.slice(token[0].length)
  }
  return path
}

import {
  LineCounter,
  parseAllDocuments,
  parseDocument,
  stringify,
  visit,
  type Document,
} from 'yaml'
import type { Diagnostic } from '../text/diagnostic'
import { isObject } from '../text/values'

/** A resource as it stands in a file. */
export interface FileResource {
  kind: string
  name: string
  spec: Record<string, unknown>
  /** Where it stands: the document in its file, and the line it begins in. */
  document: number
  line: number
}

const members = ['format', 'kind', 'name', 'spec', 'status']

/** Reads the resources of a file: YAML of one or more documents, or JSON. Every fault has its line. */
export function readResources(
  file: string,
  text: string,
): { resources: FileResource[]; faults: Diagnostic[] } {
  const lines = new LineCounter()
  const resources: FileResource[] = []
  const faults: Diagnostic[] = []
  const refuse = (line: number, message: string) =>
    faults.push({ severity: 'error', message, file, line, column: 1 })
  const documents = parseAllDocuments(text, { lineCounter: lines })
  for (const [document, parsed] of (Array.isArray(documents) ? documents : []).entries()) {
    const line = lines.linePos(parsed.contents?.range?.[0] ?? parsed.range?.[0] ?? 0).line
    const [broken] = parsed.errors
    if (broken) {
      refuse(lines.linePos(broken.pos[0]).line, broken.message.split('\n')[0]!)
      continue
    }
    if (hasAliases(parsed)) {
      refuse(line, 'Aliases and anchors are not taken: write out what they stand for')
      continue
    }
    const value = parsed.toJS() as unknown
    if (value === null || value === undefined) continue
    const fault = faultOf(value)
    if (fault !== undefined) refuse(line, fault)
    else {
      const { kind, name, spec } = value as { kind: string; name: string; spec: object }
      resources.push({ kind, name, spec: { ...spec }, document, line })
    }
  }
  return { resources, faults }
}

function hasAliases(document: Document): boolean {
  let found = false
  visit(document, {
    Alias: () => {
      found = true
      return visit.BREAK
    },
  })
  return found
}

/** Why a value is no resource; undefined where it is one. */
function faultOf(value: unknown): string | undefined {
  if (!isObject(value)) return 'A resource is an object with format, kind, name and spec'
  const foreign = Object.keys(value).find((name) => !members.includes(name))
  if (foreign !== undefined) return `A resource has no member called "${foreign.slice(0, 60)}"`
  const { format, kind, name, spec } = value as Record<string, unknown>
  if (format !== 1) return 'The format of a resource is 1'
  if (typeof kind !== 'string' || typeof name !== 'string' || name === '')
    return 'A resource has a kind and a name'
  return isObject(spec) ? undefined : 'What a resource says stands below spec, as an object'
}

/** A resource as the text of a file. */
export const writeResource = ({
  kind,
  name,
  spec,
  status,
}: {
  kind: string
  name: string
  spec: unknown
  status?: unknown
}): string =>
  stringify(
    { format: 1, kind, name, spec, ...(status !== undefined && { status }) },
    // Whole lines: a change of one value is a change of one line.
    { lineWidth: 0, aliasDuplicateObjects: false },
  )

/** The text of a file with what is known of its resources by now; everything else, comments too, stays. */
export function withStatus(text: string, statuses: ReadonlyMap<number, unknown>): string {
  if (/^\s*[{[]/.test(text)) return text
  const documents = parseAllDocuments(text)
  if (!Array.isArray(documents) || documents.some(({ errors }) => errors.length > 0)) return text
  for (const [document, status] of statuses) {
    const parsed = documents[document]
    parsed?.set('status', parseDocument(stringify(status)).contents)
  }
  return documents.map((document) => document.toString({ lineWidth: 0 })).join('')
}

import pluralize from 'pluralize'
import { EditFault } from './tree'

/** A parameter as a form gives it. */
export interface ParameterDraft {
  name: string
  in: 'path' | 'query' | 'header' | 'cookie'
  type: string
  required: boolean
  description: string
}

/** A body as a form gives it: an example to take its shape from, or the name of a schema that exists. */
export type BodyDraft = { kind: 'example'; value: unknown } | { kind: 'schema'; name: string }

/** An operation as a form gives it. */
export interface OperationDraft {
  method: string
  path: string
  id: string
  summary: string
  tag: string
  parameters: ParameterDraft[]
  body: BodyDraft | undefined
  status: string
  answer: BodyDraft | undefined
}

/** Why a draft is not complete, by field; empty where nothing is wrong. */
export function draftFaults(draft: OperationDraft): Record<string, string> {
  const faults: Record<string, string> = {}
  if (!draft.path.startsWith('/')) faults['path'] = 'A path begins with a slash'
  else if (/\s/.test(draft.path)) faults['path'] = 'A path has no spaces'
  else if (/[?#]/.test(draft.path))
    faults['path'] = 'Query parameters are written below, not in the path'
  else if (/[{}]/.exec(draft.path.replace(/\{[^{}/]+\}/g, '')))
    faults['path'] = 'A parameter is written {name}'
  if (!/^\d{3}$/.test(draft.status)) faults['status'] = 'A status has three digits'
  if (draft.id !== '' && !/^[\w.-]+$/.test(draft.id))
    faults['id'] = 'Letters, digits, dots, dashes and underscores'
  if (draft.parameters.some(({ name }) => name === ''))
    faults['parameters'] = 'Every parameter needs a name'
  return faults
}

/** The path parameters that a path names, in its order. */
export const pathParameters = (path: string) =>
  [...path.matchAll(/\{([^{}/]+)\}/g)].map(([, name]) => name!)

/** An identifier in the usual manner: `GET /hydrants/{id}/checks` is `listHydrantChecks`. */
export function proposedId(method: string, path: string): string {
  const segments = path.split('/').filter((segment) => segment !== '')
  const words = segments.filter((segment) => !segment.startsWith('{'))
  const one = segments.at(-1)?.startsWith('{') ?? false
  const verbs: Record<string, string> = {
    get: one ? 'get' : 'list',
    post: 'create',
    put: 'replace',
    patch: 'update',
    delete: 'delete',
    head: 'check',
    options: 'describe',
  }
  const parts = words.map((word, i) =>
    i < words.length - 1 || one || method === 'post' ? pluralize.singular(word) : word,
  )
  const name = parts.flatMap((part) => part.split(/[^A-Za-z0-9]+/)).filter((part) => part !== '')
  return (
    (verbs[method] ?? method) +
    name.map((part) => part.charAt(0).toUpperCase() + part.slice(1)).join('')
  )
}

const statusWords: Record<string, string> = {
  200: 'Done',
  201: 'Made',
  202: 'Taken; it is done later',
  204: 'Done; nothing to say',
}

/** What the status of a draft is described with. */
export const statusSays = ({ status }: OperationDraft): string =>
  statusWords[status] ?? 'The answer'

/** Why an operation is not written where it stands already. */
export const taken = ({ method, path }: OperationDraft) =>
  new EditFault(`${method.toUpperCase()} ${path} stands in the definition already`)

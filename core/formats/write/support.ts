import type {
  Header,
  MediaType,
  Parameter,
  PathItem,
  Response,
  Server,
  Tag,
} from '../../contract/model'
import type { Location } from '../../text/location'
import type { Losses } from './losses'

/** What is written: a format in one of its versions. */
export type Target = 'OpenAPI 3.2' | 'OpenAPI 3.1' | 'OpenAPI 3.0' | 'Swagger 2.0' | 'RAML'

interface Parts {
  info: { summary?: string; identifier?: string }
  tag: Tag
  server: Server
  path: PathItem
  parameter: Header & Pick<Parameter, 'allowEmptyValue' | 'allowReserved'>
  mediaType: MediaType
  response: Response
}
type Kind = keyof Parts
/** What is said of each member that a target has no place for, after the target's name. */
type Members = { [K in Kind]?: Partial<Record<keyof Parts[K] & string, string>> }

const before32: Members = {
  tag: {
    summary: 'has no "summary" for a tag',
    parent: 'has no "parent" for a tag',
    kind: 'has no "kind" for a tag',
  },
  server: { name: 'has no name for a server' },
  mediaType: { itemSchema: 'has no schema for the items of a stream' },
  response: { summary: 'has no summary for a response' },
}

const before31: Members = {
  ...before32,
  info: { summary: 'has no summary of the whole', identifier: 'has no licence identifier' },
}

/**
 * Members of parts that a target has no place for. What a target writes in another way, or where something stands in, is
 * said by its writer.
 */
export const unsupported: Record<Target, Members> = {
  'OpenAPI 3.2': {},
  'OpenAPI 3.1': before32,
  'OpenAPI 3.0': before31,
  'Swagger 2.0': {
    ...before31,
    server: {
      description: 'has no description for a server',
      name: 'has no name for a server',
      extensions: 'has no extensions for a server',
    },
    path: {
      summary: 'has no summary for a path',
      description: 'has no description for a path',
    },
    parameter: {
      allowReserved: 'has no "allowReserved"',
      deprecated: 'cannot call a parameter deprecated',
      examples: 'has no examples for a parameter',
      content: 'has no media types for a parameter',
    },
    mediaType: {
      encoding: 'has no encodings',
      itemSchema: 'has no streams',
      extensions: 'has no extensions for a media type',
    },
  },
  RAML: {
    server: {
      description: 'has no description for a server',
      name: 'has no name for a server',
      extensions: 'has no extensions for a server',
    },
    parameter: {
      style: 'has no "style" for a parameter',
      explode: 'has no "explode" for a parameter',
      allowReserved: 'has no "allowReserved" for a parameter',
      allowEmptyValue: 'has no "allowEmptyValue" for a parameter',
      deprecated: 'cannot call a parameter deprecated',
      content: 'has no media types for a parameter',
    },
  },
}

const isSaid = (value: unknown) =>
  value !== undefined && value !== false && !(Array.isArray(value) && value.length === 0)

/** A part without what the target has no place for, which is noted as lost. */
export function supported<K extends Kind, P extends Parts[K]>(
  { target, losses }: { target: Target; losses: Losses },
  kind: K,
  part: P,
  at: Location,
): P {
  let kept = part
  for (const [key, says] of Object.entries(unsupported[target][kind] ?? {}) as [
    keyof P & string,
    string,
  ][]) {
    if (!isSaid(part[key])) continue
    losses.memberAt(at, part, key, `${target} ${says}`)
    if (kept === part) kept = { ...part }
    Reflect.deleteProperty(kept, key)
  }
  return kept
}

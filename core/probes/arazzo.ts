import { stringify } from 'yaml'
import { pointerTo } from '../text/pointer'
import { parseTemplate, splitPath, type PathTemplate } from '../runtime/template'

/** A request that was sent to an operation, and what is expected of the next one. */
export interface Exchange {
  /** What it is about, in words: `Supply Interruptions in Trial`. */
  title: string
  /** Where the OpenAPI definition can be read. */
  source: string
  /** The operation as its definition has it. */
  operation: { method: string; path: string }
  /** The path that was sent, without the base path, with its query: `/areas/north?limit=5`. */
  path: string
  /** Without the credential. */
  headers: readonly { name: string; value: string }[]
  /** Where the credential goes, with `{$inputs.credential}` in its place. */
  credential: readonly Parameter[]
  body: { mediaType: string; text: string } | undefined
  /** The status that answered it. */
  status: number
}

interface Parameter {
  name: string
  in: 'path' | 'query' | 'header' | 'cookie'
  value: string | string[]
}

/**
 * Writes a request as a workflow of one step (Arazzo 1.0.1, section 4): sent again, it passes where the same status
 * answers. No credential stands in it: that is an input.
 */
export function writeProbe(exchange: Exchange): string {
  const { title, source, operation, headers, credential, body, status } = exchange
  const [path = '', query = ''] = exchange.path.split(/\?(.*)/s)
  const parameters: Parameter[] = [
    ...pathParameters(parseTemplate(operation.path), path),
    ...queryParameters(new URLSearchParams(query)),
    ...headers.map(({ name, value }) => ({ name, in: 'header' as const, value })),
    ...credential,
  ]
  const name = `${operation.method} ${operation.path}`
  return writeArazzo({
    ...{ title: `${title}: ${name}`, source, summary: `${name} is answered ${status}` },
    ...(credential.length > 0 && {
      inputs: {
        type: 'object',
        required: ['credential'],
        properties: { credential: { type: 'string' } },
      },
    }),
    steps: [
      {
        stepId: 'send',
        operationPath: operationPath(operation),
        ...(parameters.length > 0 && { parameters }),
        ...(body && {
          requestBody: { contentType: body.mediaType, payload: payloadOf(body.text) },
        }),
        successCriteria: [{ condition: `$statusCode == ${status}` }],
      },
    ],
  })
}

/** Where a step finds its operation in the definition. */
export const operationPath = ({ method, path }: { method: string; path: string }): string =>
  `{$sourceDescriptions.definition.url}#${pointerTo('/paths', path, method.toLowerCase())}`

/** Writes an Arazzo description of one workflow over one definition. */
export const writeArazzo = ({
  title,
  source,
  ...workflow
}: {
  title: string
  source: string
  summary: string
  inputs?: object
  steps: object[]
}): string =>
  stringify(
    {
      arazzo: '1.0.1',
      info: { title, version: '1.0.0' },
      sourceDescriptions: [{ name: 'definition', url: source, type: 'openapi' }],
      workflows: [{ workflowId: 'probe', ...workflow }],
    },
    { lineWidth: 0 },
  )

/** JSON is written as the value that it is, everything else as its text. */
function payloadOf(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}

/** What stands in a path where a template has parameters; nothing of segments that hold more than one. */
function pathParameters({ segments }: PathTemplate, path: string): Parameter[] {
  const parts = splitPath(path)
  return segments.flatMap((segment, index): Parameter[] =>
    segment.kind === 'parameter' && parts[index] !== undefined
      ? [{ name: segment.name, in: 'path', value: decoded(parts[index]) }]
      : [],
  )
}

/** Each name once, as a list must not have one twice: what was sent several times has its values in order. */
const queryParameters = (query: URLSearchParams): Parameter[] =>
  [...new Set(query.keys())].map((name) => {
    const values = query.getAll(name)
    return { name, in: 'query', value: values.length === 1 ? values[0]! : values }
  })

function decoded(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

import { ConfigurationError, list, record, text } from './config-values'
import { schemaOf, schemasOf } from './read-described'
import type { Face, FaceCall } from './rest-face'

/** What a resource says of a face; or the refusal. */
export function readFace(spec: Record<string, unknown>, where: string): Face {
  return {
    schemas: schemasOf(spec, where),
    calls: Object.fromEntries(
      Object.entries(record(spec['calls'], `${where}, calls`)).map(([row, said]) => {
        const here = `${where}, ${row.slice(0, 100)}`
        const call = record(said, here)
        const { version, action, input, request, response, faults } = call
        if (version !== '1.1' && version !== '1.2')
          throw new ConfigurationError(`${here}: the version of SOAP is 1.1 or 1.2`)
        const element = input === undefined ? undefined : record(input, `${here}, input`)
        const read: FaceCall = {
          version,
          ...(action !== undefined && { action: actionOf(action, here) }),
          ...(element && {
            input: {
              namespace: typeof element['namespace'] === 'string' ? element['namespace'] : '',
              name: text(element['name'], `${here}, input.name`),
            },
          }),
          ...(request !== undefined && { request: schemaOf(request, here) }),
          ...(response !== undefined && { response: schemaOf(response, here) }),
          faults: list(faults ?? [], `${here}, faults`).map((item) => {
            const fault = record(item, `${here}, faults`)
            return {
              element: typeof fault['element'] === 'string' ? fault['element'] : '',
              schema: schemaOf(fault['schema'], `${here}, faults.schema`),
            }
          }),
        }
        return [row, read]
      }),
    ),
  }
}

/** What stands in a header, and in a parameter of a media type. */
function actionOf(value: unknown, where: string): string {
  const written = text(value, `${where}, action`)
  if (/^[\x21\x23-\x5b\x5d-\x7e]{1,2000}$/.test(written)) return written
  throw new ConfigurationError(`${where}: the action has a character that no header carries`)
}

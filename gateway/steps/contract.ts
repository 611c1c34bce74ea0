import type { ConfigOf } from '../../core/runtime/policies'
import type { Described, DescribedParameter, Faults } from '../../core/runtime/described'
import { isJsonType, isXmlType, mediaTypeOf } from '../../core/runtime/media'
import type { Route } from '../../core/runtime/routes'
import { isObject } from '../../core/text/values'
import { readBody } from '../body'
import { readCookies, readQuery } from '../fields'
import type { Inspector } from '../inspector'
import { headerOf, pass, stop, type Check, type Passage, type Refusal } from '../passage'
import type { Watch } from '../upstream'
import { valuesInPath } from './transform'

/** Larger bodies are not looked at; in bytes. */
const mostLookedAt = 1_000_000

/** Holds requests of an operation against its definition, and notes or refuses what breaks it. */
export function contractCheck(
  config: ConfigOf<'contract'>,
  route: Route,
  described: Described,
  inspector: Inspector,
): Check | undefined {
  const operation = described.operations[route.name]
  if (!operation || config.requests === 'ignore') return undefined
  const { parameters } = operation

  async function judge(passage: Passage, body: Buffer | undefined): Promise<Refusal | undefined> {
    const hasBody = passage.head.framing.kind !== 'none'
    const contentType = headerOf(passage, 'content-type')
    const { faults, isWhole } = await inspector.look(
      'request',
      described,
      {
        row: route.name,
        values: valuesOf(passage, route, parameters),
        contentType,
        bytes: body,
        hasBody,
      },
      body?.length ?? 0,
    )
    const unseen = [
      ...(hasBody && body === undefined ? ['; its body was not looked at'] : []),
      ...(isWhole ? [] : ['; it is too much to be looked at as a whole']),
    ].join('')
    if (body !== undefined) passage.members = membersOf(contentType, body)
    passage.breaks.request = faults.length > 0
    if (faults.length === 0)
      return pass(
        passage,
        'validate',
        'contract',
        `${isWhole ? 'It is as the definition says' : 'Nothing was found that breaks the definition'}${unseen}`,
      )
    const text = `${faults.slice(0, 3).join('. ')}${faults.length > 3 ? `. ${faults.length - 3} more` : ''}${unseen}`
    if (config.requests === 'report')
      return pass(
        passage,
        'validate',
        'contract',
        `It breaks the definition, which is only noted: ${text}`,
      )
    return stop(passage, 'validate', 'contract', `It breaks the definition: ${text}`, {
      status: 400,
      title: 'The request is not as the definition says',
      detail: faults.join('. '),
    })
  }

  return (passage) => {
    const { framing } = passage.head
    const looks =
      operation.body?.content.some(({ type }) => isJsonType(type) || isXmlType(type)) ?? false
    const isPlain = /^(?:identity)?$/i.test(headerOf(passage, 'content-encoding') ?? '')
    if (framing.kind === 'none' || !looks || !isPlain) return judge(passage, undefined)
    if (framing.kind === 'length' && framing.length > mostLookedAt) return judge(passage, undefined)
    // What is longer than it is looked at cannot be taken back: where its length is not known, it is bounded.
    return readBody(passage, mostLookedAt).then((body) =>
      body === 'too large'
        ? stop(
            passage,
            'validate',
            'contract',
            'The body is larger than a megabyte, and its length was not said',
            {
              status: 413,
              title: 'The body is too large',
            },
          )
        : judge(passage, body),
    )
  }
}

/** Longer bodies are not looked at for the names in them; in bytes. */
const mostNamed = 64 * 1024

/** Names of the members of an object of JSON. */
function membersOf(type: string | undefined, body: Buffer): string[] {
  if (body.length > mostNamed || !isJsonType(mediaTypeOf(type))) return []
  try {
    const value: unknown = JSON.parse(body.toString('utf8'))
    return isObject(value) ? Object.keys(value) : []
  } catch {
    return []
  }
}

/** What was sent for each of some parameters. */
function valuesOf(
  passage: Passage,
  route: Route,
  parameters: readonly DescribedParameter[],
): string[][] {
  const query = readQuery(passage.head.target.query)
  const cookies = readCookies(headerOf(passage, 'cookie'))
  const path = valuesInPath(route, passage.head.target.path)
  return parameters.map(({ in: where, name }) => {
    if (where === 'path') {
      const value = path.get(name)
      return value === undefined ? [] : [value.text]
    }
    if (where === 'header') return [headerOf(passage, name) ?? []].flat()
    const pieces = where === 'query' ? query : where === 'cookie' ? cookies : []
    return pieces.filter((piece) => piece.name === name).map(({ value }) => value)
  })
}

/** Looks at a response as it passes, and notes with its request what breaks the definition. */
export function responseWatch(
  passage: Passage,
  route: Route,
  inspector: Inspector,
): Watch | undefined {
  const { policies, described } = route
  const operation = described?.operations[route.name]
  if (!described || !operation || policies.contract?.responses !== 'report') return undefined
  return (status, { contentType, contentEncoding }) => {
    // Nobody looks into what is compressed.
    const isPlain = contentEncoding === undefined || contentEncoding === 'identity'
    const chunks: Buffer[] = []
    let size = 0
    return {
      chunk(bytes) {
        size += bytes.length
        if (isPlain && size <= mostLookedAt) chunks.push(bytes)
      },
      end() {
        const bytes = !isPlain || size > mostLookedAt ? undefined : Buffer.concat(chunks)
        const input = { row: route.name, status, contentType, bytes }
        const found = inspector.look('response', described, input, bytes?.length ?? 0)
        if (found instanceof Promise) passage.watching = found.then(note, unknown)
        else note(found)
      },
    }
  }

  function note({ faults, isWhole }: Faults): void {
    passage.breaks.response = faults.length > 0
    say(
      faults.length > 0
        ? `The response breaks the definition, which is only noted: ${faults.slice(0, 3).join('. ')}`
        : isWhole
          ? 'The response is as the definition says'
          : 'The response is too much to be looked at as a whole; nothing was found that breaks the definition',
    )
  }
  const unknown = () => say('The response is too much to be held against the definition')
  function say(text: string): void {
    passage.steps.push({ name: 'respond', policy: 'contract', passed: true, text })
  }
}

import { chooseAnswer, type Preference } from '../../core/contract/mocks'
import type { RouteTarget } from '../../core/runtime/routes'
import { headerOf, type Passage } from '../passage'
import { responseFields } from './respond'

/** Nobody waits longer for an example, whatever they prefer; in seconds. */
const longestWait = 10
const longestHeader = 500

interface Asked extends Preference {
  wait?: number
}

/** What a request prefers (RFC 7240, section 2): `code=404, example=empty, wait=2`. What it cannot mean is left out. */
function preferenceOf(passage: Passage): Asked {
  const asked: Asked = {}
  const written = headerOf(passage, 'prefer')?.slice(0, longestHeader) ?? ''
  for (const [, name, quoted, bare = ''] of written.matchAll(
    /(?:^|,)\s*(\w+)\s*=\s*(?:"([^"]*)"|([^\s;,"]*))/g,
  )) {
    const value = quoted ?? bare
    if (name === 'code' && /^[2-5]\d\d$/.test(value)) asked.code ??= Number(value)
    else if (name === 'example' && value !== '') asked.example ??= value
    else if (name === 'wait' && /^\d{1,6}$/.test(value))
      asked.wait ??= Math.min(longestWait, Number(value))
  }
  return asked
}

const texts = ({ code, example, wait }: Asked): string[] => [
  ...(code === undefined ? [] : [`code=${code}`]),
  ...(example === undefined ? [] : [`example=${JSON.stringify(example)}`]),
  ...(wait === undefined ? [] : [`wait=${wait}`]),
]

/** Answers a request from the definition: what it prefers, as far as there is such an answer. */
export function mock(passage: Passage, { answers }: RouteTarget & { kind: 'mock' }): void {
  const { response, steps, request } = passage
  request.resume()
  const asked = preferenceOf(passage)
  const { answer, applied } = chooseAnswer(answers, asked)
  const met = texts({ ...applied, ...(asked.wait !== undefined && { wait: asked.wait }) })
  const missed = texts({
    ...(applied.code === undefined && asked.code !== undefined && { code: asked.code }),
    ...(applied.example === undefined && asked.example !== undefined && { example: asked.example }),
  })
  steps.push({
    name: 'forward',
    passed: true,
    text: [
      `Answered ${answer.status} ${answer.example ? `with the definition’s example "${answer.example}"` : 'from the definition'}; no backend was called`,
      ...(met.length > 0 ? [`as preferred by ${met.join(', ')}`] : []),
      ...(missed.length > 0 ? [`the definition has nothing for ${missed.join(', ')}`] : []),
    ].join('; '),
  })
  const given = [
    ...(answer.mediaType ? ['Content-Type', answer.mediaType] : []),
    ...(met.length > 0 ? ['Preference-Applied', met.join(', '), 'Vary', 'Prefer'] : []),
  ]
  const send = () => {
    response.writeHead(answer.status, responseFields(passage, answer.status, given))
    response.end(answer.body)
  }
  if (!asked.wait) return send()
  const waiting = setTimeout(send, asked.wait * 1000)
  response.once('close', () => clearTimeout(waiting))
}

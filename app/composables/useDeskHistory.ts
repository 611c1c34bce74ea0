import { useSessionStorage } from '@vueuse/core'
import type { DeskResponse, HeaderLine } from '~~/shared/api/desk'

/** One request as it was sent, without its credential, and what came of it. */
export interface SentRequest {
  id: number
  at: string
  placement: string
  label: string
  operation: string
  method: string
  path: string
  gateway: string
  /** With or without TLS; empty where nobody chose. */
  scheme?: '' | 'http' | 'https'
  headers: HeaderLine[]
  mediaType: string
  body: string
  response: DeskResponse
}

const most = 30
/** Longer bodies are cut in what is remembered. */
const longestBody = 20_000

/** The requests of this tab, the newest first. They end with it, and no credential is kept among them. */
export function useDeskHistory() {
  const sent = useSessionStorage<SentRequest[]>('desk-requests', [])
  /** Remembers a request, and gives it back as it is remembered. */
  function add(request: Omit<SentRequest, 'id' | 'at'>): SentRequest {
    const { response } = request
    const entry: SentRequest = {
      ...request,
      id: (sent.value[0]?.id ?? 0) + 1,
      at: new Date().toISOString(),
      // Whoever writes the next request must not change what was sent.
      headers: request.headers.map((line) => ({ ...line })),
      response: { ...response, body: response.body.slice(0, longestBody) },
    }
    sent.value = [entry, ...sent.value].slice(0, most)
    return entry
  }
  return { sent, add, clear: () => (sent.value = []) }
}

/** A request and its response as text, for people and for a comparison. */
export function exchangeText({ method, path, headers, body, response }: SentRequest): string {
  const lines = (list: readonly HeaderLine[]) => list.map(({ name, value }) => `${name}: ${value}`)
  return [
    `${method} ${path}`,
    ...lines(headers),
    ...(body ? ['', readable(body)] : []),
    '',
    `${response.status}`,
    // What differs every time says nothing.
    ...lines(response.headers.filter(({ name }) => !['date', 'x-request-id'].includes(name))),
    '',
    readable(response.body),
    '',
    ...response.steps.map(({ name, passed, text }) => `${passed ? '✓' : '✕'} ${name}: ${text}`),
  ].join('\n')
}

/** JSON on lines of its own; everything else as it is. */
export function readable(text: string): string {
  try {
    return JSON.stringify(JSON.parse(text), null, 2)
  } catch {
    return text
  }
}

import { readFileSync } from 'node:fs'
import http from 'node:http'

/** What one client asks again and again. */
export interface Caller {
  /** Gateways by their addresses; each request goes to one of them. */
  gateways: string[]
  host: string
  /** Paths that it asks for, those it asks for most first. */
  paths: string[]
  headers: Record<string, string>
}

/** Asked for this often by all callers together, in milliseconds. */
const pause = 400

/** Keeps traffic going as the file says, from when it is there. */
export function keepCalling(file: string): void {
  setInterval(() => {
    const callers = read(file)
    const caller = pick(callers, 1)
    if (caller) call(caller)
  }, pause).unref()
}

/** One of a list: the first ones more often, the steeper the more so. */
const pick = <T>(list: readonly T[], steepness: number): T | undefined =>
  list[Math.floor(list.length * Math.random() ** steepness)]

let known: { at: number; callers: Caller[] } = { at: 0, callers: [] }

/** Reads the file again now and then: the demo may be made anew meanwhile. */
function read(file: string): Caller[] {
  if (Date.now() - known.at < 30_000) return known.callers
  known = { at: Date.now(), callers: [] }
  try {
    known.callers = JSON.parse(readFileSync(file, 'utf8')) as Caller[]
  } catch {
    // There are none yet.
  }
  return known.callers
}

function call({ gateways, host, paths, headers }: Caller): void {
  const gateway = pick(gateways, 1)
  if (gateway === undefined) return
  const request = http.get(
    new URL(pick(paths, 2) ?? '/', gateway),
    { headers: { ...headers, host }, timeout: 10_000 },
    (response) => response.resume(),
  )
  request.on('timeout', () => request.destroy())
  request.on('error', () => undefined)
}

import { editDistance } from '../text/distance'
import { isServed, type Route, type RouteRequest } from './routes'
import { plainSegment } from './target'
import { parseTemplate, segmentMatches, splitPath, type Segment } from './template'

/** Work is bounded: so many segments of a request, and so many comparisons of two words. */
const mostSegments = 24
const mostComparisons = 200_000
const longestWord = 64

/** What a missing or additional segment costs; a segment that says something else costs up to 1. */
const gap = 0.9
/** A parameter takes anything, which says little about what was wanted. */
const parameter = 0.25

/**
 * The route of a host that comes closest to a path that nothing matches: fewest changes of segments, words by their
 * edit distance; then the method. Undefined where no word of the path resembles one of a route.
 */
export function nearestRoute(
  routes: Route[],
  { host, method, path }: RouteRequest,
): Route | undefined {
  const parts = splitPath(path).slice(0, mostSegments).map(plainSegment)
  const words = new Likeness()
  let best: { route: Route; cost: number } | undefined
  for (const route of routes) {
    if (route.host !== host.toLowerCase() || !isServed(route)) continue
    const { segments } = parseTemplate(route.path)
    if (segments.length > mostSegments) continue
    const { cost, alike } = alignment(segments, parts, words)
    const whole = cost + (route.method === method ? 0 : 0.1)
    if (alike && (!best || whole < best.cost)) best = { route, cost: whole }
    if (words.spent > mostComparisons) break
  }
  return best?.route
}

interface Alignment {
  cost: number
  /** Whether some word agrees well enough to speak of nearness. */
  alike: boolean
}

/** The cheapest way to make the segments of a route out of those of a path. */
function alignment(segments: Segment[], parts: string[], words: Likeness): Alignment {
  let previous: Alignment[] = [{ cost: 0, alike: false }]
  for (let i = 1; i <= parts.length; i++) previous.push({ cost: i * gap, alike: false })
  segments.forEach((segment, row) => {
    const current: Alignment[] = [{ cost: (row + 1) * gap, alike: false }]
    parts.forEach((part, i) => {
      const { cost, alike } = differs(segment, part, words)
      const ways = [
        { cost: previous[i]!.cost + cost, alike: previous[i]!.alike || alike },
        { ...previous[i + 1]!, cost: previous[i + 1]!.cost + gap },
        { ...current[i]!, cost: current[i]!.cost + gap },
      ]
      current.push(ways.reduce((least, way) => (way.cost < least.cost ? way : least)))
    })
    previous = current
  })
  return previous.at(-1)!
}

function differs(segment: Segment, part: string, words: Likeness): Alignment {
  if (segment.kind === 'literal') {
    const cost = words.distance(segment.text, part)
    return { cost, alike: cost <= 0.4 }
  }
  return { cost: segmentMatches(segment, part) ? parameter : 1, alike: false }
}

/** How far words are from one another, from 0 for the same to 1; each pair is worked out once. */
class Likeness {
  private readonly known = new Map<string, number>()
  spent = 0

  distance(a: string, b: string): number {
    if (a === b) return 0
    const key = `${a}\n${b}`
    let distance = this.known.get(key)
    if (distance === undefined) {
      this.spent++
      distance = shareDiffering(a.slice(0, longestWord), b.slice(0, longestWord))
      this.known.set(key, distance)
    }
    return distance
  }
}

/** How many letters differ, without regard to case, as a share of the longer word. */
function shareDiffering(a: string, b: string): number {
  const longer = Math.max(a.length, b.length)
  if (longer === 0) return 0
  if (Math.abs(a.length - b.length) > longer / 2) return 1
  return editDistance(a.toLowerCase(), b.toLowerCase()) / longer
}

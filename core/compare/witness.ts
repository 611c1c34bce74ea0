import { invalidity } from '../contract/validate'
import type { Contract, SchemaObject } from '../contract/model'
import { isObject } from '../text/values'
import { candidates, freeName, mostTried } from './candidates'
import type { Found, Verdict } from './found'
import { listedValues, propertiesOf, typeSet } from './keywords'
import type { Step } from './model'
import type { Normal } from './normal'
import type { Edge, Pair, SchemaChange, Way } from './pairs'
import { isPlainlyValid, leanSample } from './samples'

/** Steps that one search may take. */
const mostForOne = 20_000
/** Steps that all searches of a comparison may take together. */
const mostTogether = 3_000_000

class Exhausted extends Error {}

/** A value that one side takes and the other does not. */
interface Shown {
  value: unknown
}

interface Side {
  contract: Contract
  normal: (pair: Pair) => Normal
}

/**
 * Looks for values that show changes. One is found where the change is, once for both ways, and carried outwards: through
 * what asks nothing else of the value by reasoning alone, and through everything else by asking the validator.
 */
export class Witnesses {
  private readonly shown = new Map<SchemaChange, Map<Way, Shown | 'too much' | undefined>>()
  private readonly carried = new Map<Edge, Map<Way, boolean>>()
  private readonly samples = new Map<Normal, { value: unknown; isValid: boolean }>()
  private readonly old: Side
  private readonly now: Side
  private together = mostTogether
  private left = 0

  constructor(before: Contract, after: Contract) {
    this.old = { contract: before, normal: ({ before: normal }) => normal }
    this.now = { contract: after, normal: ({ after: normal }) => normal }
  }

  /** A change breaks only where a value shows it; where one should and none was found, it is risky. */
  judge(found: Found, way: Way): Verdict {
    const { change, mixed } = found
    const { narrows, widens, undecided } = change
    const hurts = (way === 'request' ? narrows : widens) || (mixed && (narrows || widens))
    if (!hurts && undecided === undefined) return { effect: 'safe' }
    // What was not looked into is said to be so. What is described no longer may still be sent, and nobody sends something
    // else under its name.
    const isDefault = change.keyword === 'default'
    if (isDefault && way === 'response') return { effect: 'safe' }
    const isOpen = change.keyword === '' || isDefault || (change.keyword === 'property' && !hurts)
    if (undecided !== undefined && isOpen) return { effect: 'risky', undecided }
    const local = this.showing(change, way)
    if (local === 'too much')
      return {
        effect: 'risky',
        undecided: undecided ?? 'looking for a value that shows it took too long',
      }
    const value = local && this.outwards(found.edges, way, local)
    if (value) return { effect: 'breaking', value }
    if (undecided === undefined && local === undefined && this.isRuledOut(change, way))
      return { effect: 'safe' }
    return { effect: 'risky', undecided: undecided ?? 'no value was found that shows it' }
  }

  private sides(way: Way): [from: Side, to: Side] {
    return way === 'request' ? [this.old, this.now] : [this.now, this.old]
  }

  /** Where a side lists its values, each was tried. */
  private isRuledOut({ pair }: SchemaChange, way: Way): boolean {
    const { schema } = this.sides(way)[0].normal(pair)
    const listed = schema === false ? [] : listedValues(schema)
    return listed !== undefined && listed.length <= mostTried
  }

  private within<T>(search: () => T): T | 'too much' {
    // One search may need what another one finds; each has its own steps.
    const outer = this.left
    const given = Math.min(mostForOne, this.together)
    this.left = given
    try {
      return search()
    } catch (error) {
      if (error instanceof Exhausted) return 'too much'
      throw error
    } finally {
      this.together -= given - Math.max(0, this.left)
      this.left = outer
    }
  }

  private readonly spend = (steps = 1): void => {
    this.left -= steps
    if (this.left < 0) throw new Exhausted()
  }

  private isBetween(pair: Pair, way: Way, value: unknown): boolean {
    const [from, to] = this.sides(way)
    const takes = ({ contract, normal }: Side) =>
      invalidity(contract, value, normal(pair).written, this.spend) === undefined
    return takes(from) && !takes(to)
  }

  private showing(change: SchemaChange, way: Way): Shown | 'too much' | undefined {
    let known = this.shown.get(change)
    if (!known) this.shown.set(change, (known = new Map<Way, Shown | 'too much' | undefined>()))
    if (!known.has(way))
      known.set(
        way,
        this.within(() => this.search(change, way)),
      )
    return known.get(way)
  }

  private search(change: SchemaChange, way: Way): Shown | undefined {
    let tried = 0
    for (const value of this.candidates(change, way)) {
      if (++tried > mostTried) return undefined
      if (value === undefined || JSON.stringify(value) === undefined) continue
      if (this.isBetween(change.pair, way, value)) return { value }
    }
    return undefined
  }

  /** Carries a value from where it shows a change to the outside; undefined where it does not show it there. */
  private outwards(edges: Edge[], way: Way, { value }: Shown): (() => unknown) | undefined {
    let [held, inside] = [value, edges.length]
    for (let i = edges.length - 1; i >= 0; i--) {
      const edge = edges[i]!
      if (this.carries(edge, way)) continue
      const whole = this.within(() => {
        const made = this.plantedAlong(edges.slice(i, inside), way, held)
        return made !== undefined && this.isBetween(edge.from, way, made) ? { made } : undefined
      })
      if (whole === 'too much' || whole === undefined) return undefined
      ;[held, inside] = [whole.made, i]
    }
    return () => this.plantedAlong(edges.slice(0, inside), way, held)
  }

  private plantedAlong(edges: Edge[], way: Way, value: unknown): unknown {
    return edges.reduceRight<unknown>((inner, edge) => this.planted(edge, way, inner), value)
  }

  /** Whether any value that shows a change inside shows it outside, because nothing else there asks about it. */
  private carries(edge: Edge, way: Way): boolean {
    let known = this.carried.get(edge)
    if (!known) this.carried.set(edge, (known = new Map<Way, boolean>()))
    let holds = known.get(way)
    if (holds === undefined) {
      const [from, to] = this.sides(way)
      holds =
        isPlain(from.normal(edge.from).schema, edge.step, 'accepts') &&
        isPlain(to.normal(edge.from).schema, edge.step, 'refuses') &&
        !edge.mixed &&
        this.sampleOf(from, edge.from).isValid
      known.set(way, holds)
    }
    return holds
  }

  private sampleOf({ contract, normal }: Side, pair: Pair): { value: unknown; isValid: boolean } {
    const key = normal(pair)
    let known = this.samples.get(key)
    if (!known) {
      const value = leanSample(contract, key.written)
      const isValid =
        (key.schema !== false && isPlainlyValid(key.schema, value)) ||
        this.within(() => invalidity(contract, value, key.written, this.spend) === undefined) ===
          true
      this.samples.set(key, (known = { value, isValid }))
    }
    return known
  }

  /** A sample of what is outside with a value in it. */
  private planted({ from: pair, step }: Edge, way: Way, inner: unknown): unknown {
    const [from] = this.sides(way)
    if (step === undefined || 'choice' in step) return inner
    const { value: sample } = this.sampleOf(from, pair)
    if ('item' in step || 'position' in step) {
      const { schema } = from.normal(pair)
      const least = schema && typeof schema['minItems'] === 'number' ? schema['minItems'] : 1
      if (least > 50) return undefined
      const list = Array.isArray(sample) ? [...(sample as unknown[])] : []
      if ('position' in step) {
        while (list.length <= step.position) list.push(null)
        list[step.position] = inner
        return list
      }
      return Array.from({ length: Math.max(1, least) }, () => inner)
    }
    const object = isObject(sample) ? { ...sample } : {}
    object['property' in step ? step.property : freeName(from.normal(pair).schema)] = inner
    return object
  }

  /** Values that may make the difference. */
  private candidates(change: SchemaChange, way: Way): Iterable<unknown> {
    const [from, to] = this.sides(way)
    const { pair } = change
    const [asked, other] = [from.normal(pair).schema, to.normal(pair).schema]
    if (asked === false) return []
    return candidates({
      change,
      contract: from.contract,
      asked,
      other: other === false ? {} : other,
      sample: this.sampleOf(from, pair).value,
      counterpart: this.sampleOf(to, pair).value,
    })
  }
}

/** Keywords that look at a whole value, whatever stands in it. */
const looksAround = [
  'allOf',
  'anyOf',
  'oneOf',
  'not',
  'if',
  'enum',
  'const',
  'dependentSchemas',
  'dependentRequired',
  'unevaluatedProperties',
  'unevaluatedItems',
  'patternProperties',
  'propertyNames',
  'maxProperties',
  'contains',
  'uniqueItems',
]

/**
 * Whether a schema takes a sample of it with another value at a step wherever it takes that value there (`accepts`), or
 * refuses a value wherever it refuses what stands at a step (`refuses`).
 */
function isPlain(
  schema: SchemaObject | false,
  step: Step | undefined,
  does: 'accepts' | 'refuses',
): boolean {
  if (schema === false || step === undefined || 'choice' in step || 'position' in step) return false
  if (does === 'refuses') {
    if ('property' in step) return Object.hasOwn(propertiesOf(schema), step.property)
    return 'item' in step ? !('prefixItems' in schema) : !('patternProperties' in schema)
  }
  if (looksAround.some((keyword) => keyword in schema)) return false
  const type = 'item' in step ? 'array' : 'object'
  if (!typeSet(schema).has(type)) return false
  if ('property' in step) return Object.hasOwn(propertiesOf(schema), step.property)
  const most = schema['maxItems']
  return 'other' in step || (!('prefixItems' in schema) && (typeof most !== 'number' || most > 0))
}

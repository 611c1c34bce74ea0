import type { Change } from '../../compare/model'
import type { Contract, Schema, SchemaObject } from '../../contract/model'
import type { Location } from '../../text/location'
import type { Before } from '../before'
import type { Circumstances } from '../model'

/** What a field holds, as the reference and the check of expressions name it. */
export type FactType = 'text' | 'number' | 'truth' | 'value' | { fact: string } | { list: FactType }

export interface Field<N> {
  type: FactType
  says: string
  read(fact: Fact<N>): unknown
}

/** What can be asked of one kind of fact. */
export interface Shape<N = unknown> {
  name: string
  says: string
  fields: Record<string, Field<N>>
  /** How many of the fields are read once for each fact. */
  kept: number
  /** Where a fact is written that was not told so, because few are ever asked. */
  place?(fact: Fact<N>): Location
}

/** Parts that may be written elsewhere and used in many places; they are known by where they stand. */
const mayBeShared = new Set([
  'parameter',
  'requestBody',
  'response',
  'header',
  'mediaType',
  'example',
])

/**
 * One part of a definition as a rule sees it. Its fields are read when they are asked for; those that are costly are
 * kept. `own` names it among its like below its parent, whatever its order and line.
 */
export class Fact<N = unknown> {
  private kept: unknown[] | undefined

  constructor(
    readonly shape: Shape<N>,
    readonly node: N,
    private written: Location | undefined,
    readonly world: World,
    readonly own = '',
    readonly parent?: Fact,
  ) {}

  /** The place where its author must change it. */
  get at(): Location {
    return (this.written ??= this.shape.place?.(this) ?? '')
  }

  /** Stays the same when lines move or parts are re-ordered. */
  get key(): string {
    if (this.parent && mayBeShared.has(this.shape.name) && !this.at.startsWith(this.parent.at)) {
      return `${this.shape.name} ${this.at.replace(/(?:\/\d+|\[\d+\])+$/, '')} ${this.own}`
    }
    const own = this.own === '' ? this.shape.name : `${this.shape.name} ${this.own}`
    return this.parent ? `${this.parent.key}/${own}` : own
  }

  /** What one of the fields that are kept has given, or now gives. */
  keep(slot: number, field: Field<N>): unknown {
    const kept = (this.kept ??= new Array<unknown>(this.shape.kept).fill(notYet))
    if (kept[slot] === notYet) kept[slot] = field.read(this)
    return kept[slot]
  }
}

/** The facts that a field of a fact gives: a list, one, or none. */
export function listIn(fact: Fact, field: string): Fact[] {
  const found = fact.shape.fields[field]!.read(fact) as Fact | Fact[] | null
  return found === null ? [] : Array.isArray(found) ? found : [found]
}

const notYet = Symbol('not yet computed')

/** Describes one kind of fact. */
export const shape = <N>(
  name: string,
  says: string,
  fields: Record<string, Plain<N>>,
  place?: (fact: Fact<N>) => Location,
): Shape<N> => {
  let kept = 0
  const read = Object.entries(fields).map(([field, { once, ...plain }]): [string, Field<N>] => {
    if (!once) return [field, plain]
    const slot = kept++
    return [field, { ...plain, read: (fact) => fact.keep(slot, plain) }]
  })
  return { name, says, fields: Object.fromEntries(read), kept, ...(place && { place }) }
}

/** A field as it is described: one that is costly is read once for each fact. */
export interface Plain<N> extends Field<N> {
  once?: true
}

type Read<N, V> = (node: N, fact: Fact<N>) => V

const field = <N>(type: FactType, says: string, read: Read<N, unknown>): Field<N> => ({
  type,
  says,
  read: (fact) => read(fact.node, fact),
})

export const text = <N>(says: string, read: Read<N, string>) => field('text', says, read)
export const number = <N>(says: string, read: Read<N, number | null>) => field('number', says, read)
export const truth = <N>(says: string, read: Read<N, boolean>) => field('truth', says, read)
export const texts = <N>(says: string, read: Read<N, readonly string[]>) =>
  field({ list: 'text' }, says, read)
export const value = <N>(says: string, read: Read<N, unknown>) => field('value', says, read)

/** A field that is computed once for each fact. */
const kept = <N>(plain: Field<N>): Plain<N> => ({ ...plain, once: true })

/** Texts that are computed once, so that they can be looked into again and again. */
export const keptTexts = <N>(says: string, read: (node: N, fact: Fact<N>) => readonly string[]) =>
  kept(texts(says, read))
export const keptTruth = <N>(says: string, read: (node: N, fact: Fact<N>) => boolean) =>
  kept(truth(says, read))
export const keptText = <N>(says: string, read: (node: N, fact: Fact<N>) => string) =>
  kept(text(says, read))
export const keptNumber = <N>(says: string, read: (node: N, fact: Fact<N>) => number) =>
  kept(number(says, read))

/** One other fact, or null. */
export const one = <N>(
  name: string,
  says: string,
  read: (node: N, fact: Fact<N>) => Fact | null,
): Plain<N> => kept({ type: { fact: name }, says, read: (fact) => read(fact.node, fact) })

/** A list of other facts. */
export const many = <N>(
  name: string,
  says: string,
  read: (node: N, fact: Fact<N>) => Fact[],
): Plain<N> => kept({ type: { list: { fact: name } }, says, read: (fact) => read(fact.node, fact) })

const words: Record<string, string> = {
  text: 'a text',
  number: 'a number',
  truth: 'yes or no',
  value: 'any value',
}

/** How a type is called in messages and in the reference. */
export const typeLabel = (type: FactType): string =>
  typeof type === 'string'
    ? words[type]!
    : 'list' in type
      ? `a list of ${typeof type.list === 'string' ? words[type.list]!.replace('a ', '') + 's' : typeLabel(type.list)}`
      : /^[aeiou]/.test(type.fact)
        ? `an ${type.fact}`
        : `a ${type.fact}`

/** What other APIs of the register hold, for rules across the estate. */
export interface Estate {
  /** Base paths of server addresses, with the APIs that have them. */
  basePaths: Record<string, string[]>
  /** Names of schemas, with the shapes they have and the APIs that hold each. */
  schemas: Record<string, { shape: string; apis: string[] }[]>
}

/** Everything that the facts of one definition share. */
export interface World {
  contract: Contract
  circumstances: Circumstances
  organisation: { domain: string; words: ReadonlySet<string> }
  estate: Estate
  /** The version before, where one is known. */
  before: Before | undefined
  /** What changed since. */
  changes: () => readonly Change[]
  /** Whether something is a word of the language, where a dictionary is at hand. */
  isWord: ((word: string) => boolean) | undefined
  /** The fact of a schema, its references followed; null for none and for plain yes or no. */
  schema(schema: Schema | undefined, at: Location, parent?: Fact): Fact<SchemaNode> | null
  /** How often each named schema is referred to. */
  uses(name: string): number
  /** Where a schema is written, or else the place given. */
  placeOf(schema: Schema, otherwise: Location): Location
}

export interface SchemaNode {
  /** Empty where it stands inside of something else. */
  name: string
  schema: SchemaObject
  at: Location
  /** Its properties by name, those of its allOf among them, once they have been asked for. */
  listed?: ReadonlyMap<string, ListedProperty>
}

/** A property as its schema lists it. */
export interface ListedProperty {
  value: Schema
  required: boolean
  /** The way from its owner to the schema that lists it; not empty where that is a part of its owner. */
  below: string
}

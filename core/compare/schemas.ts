import type { Contract, Schema, SchemaObject } from '../contract/model'
import { schemaReference } from '../contract/schemas'
import { isObject, isSame, namesOf } from '../text/values'
import { areAlike } from './alike'
import { chosen, listOf, matched, nameOf, type Choice } from './choices'
import { collect, type Found } from './found'
import {
  areApart,
  compareKeywords,
  haveSameTypes,
  keywordChange,
  kindOf,
  propertiesOf,
  typeSet,
  type KeywordChange,
} from './keywords'
import type { Step } from './model'
import { below, isAnnotation, Normals, type Normal, type Written } from './normal'
import { markLoud, type Edge, type Pair, type SchemaChange, type Way } from './pairs'

/** Pairs of schemas of one comparison; more are said to be undecided. */
const mostPairs = 400_000
/** Changes that are told in one place, nearest first, and in all places together; more are said to be there. */
const mostTold = { inOne: 2000, inAll: 60_000, least: 20 }

const everything: Schema = true

/** Compares schemas of two contracts as sets of values. Pairs are known by identity, so circles end by themselves. */
export class SchemaComparison {
  private readonly old: Normals
  private readonly now: Normals
  private readonly pairs = new Map<Normal, Map<Normal, Pair>>()
  private readonly waiting: Pair[] = []
  private readonly told = new Map<Pair, Found[]>()
  private size = 0
  private readonly mostTold: number

  constructor(before: Contract, after: Contract) {
    const places = after.operations.length + after.webhooks.length
    const share = Math.floor(mostTold.inAll / Math.max(1, places))
    this.mostTold = Math.max(mostTold.least, Math.min(mostTold.inOne, share))
    this.old = new Normals(before)
    this.now = new Normals(after)
  }

  /** What changed from one schema to another, each change once, by the shortest way to it. */
  compare(
    before: Partial<Written> & Pick<Written, 'at'>,
    after: Partial<Written> & Pick<Written, 'at'>,
  ): Found[] {
    const root = this.pair(
      { schema: before.schema ?? everything, at: before.at },
      { schema: after.schema ?? everything, at: after.at },
    )
    this.explore()
    let found = this.told.get(root)
    if (!found) this.told.set(root, (found = collect(root, this.mostTold)))
    return found
  }

  /** Whether two schemas allow the same values, as far as can be told. */
  isQuiet(before: Written, after: Written): boolean {
    const pair = this.pair(before, after)
    this.explore()
    return !pair.isLoud
  }

  private pair(before: Written, after: Written): Pair {
    const [a, b] = [this.old.of(before), this.now.of(after)]
    let row = this.pairs.get(a)
    if (!row) this.pairs.set(a, (row = new Map<Normal, Pair>()))
    let pair = row.get(b)
    if (!pair) {
      pair = {
        before: a,
        after: b,
        changes: [],
        edges: [],
        loud: undefined,
        parents: [],
        isLoud: false,
      }
      row.set(b, pair)
      this.size++
      this.waiting.push(pair)
    }
    return pair
  }

  private explore(): void {
    for (let pair = this.waiting.pop(); pair; pair = this.waiting.pop()) {
      if (this.size > mostPairs)
        this.tell(
          pair,
          keywordChange('changed', '', undefined, undefined, {
            undecided: 'the schemas are too large to be compared',
          }),
        )
      else this.look(pair)
    }
  }

  private tell(pair: Pair, change: KeywordChange, more: Partial<SchemaChange> = {}): void {
    const place = (normal: Normal) =>
      change.keyword === '' || change.keyword === 'property'
        ? normal.at
        : below(normal.at, change.keyword)
    pair.changes.push({
      before: place(pair.before),
      after: place(pair.after),
      ...change,
      ...more,
      pair,
    })
    markLoud(pair)
  }

  private enter(
    from: Pair,
    step: Step | undefined,
    before: Written,
    after: Written,
    more: Pick<Edge, 'only'> & { mixed?: boolean } = {},
  ): void {
    const to = this.pair(before, after)
    from.edges.push({ from, to, mixed: false, ...(step && { step }), ...more })
    to.parents.push(from)
    if (to.isLoud) markLoud(from)
  }

  private look(pair: Pair): void {
    const [a, b] = [pair.before.schema, pair.after.schema]
    if (a === false || b === false) {
      if (a !== b)
        this.tell(
          pair,
          keywordChange('changed', '', a !== false, b !== false, {
            narrows: b === false,
            widens: a === false,
          }),
        )
      return
    }
    if (this.union(pair, a, b)) return
    for (const change of compareKeywords(a, b)) this.tell(pair, change)
    for (const [keyword, way] of [
      ['readOnly', 'request'],
      ['writeOnly', 'response'],
    ] as const)
      if ((a[keyword] === true) !== (b[keyword] === true))
        this.tell(
          pair,
          keywordChange('changed', keyword, a[keyword] === true, b[keyword] === true, {
            undecided: 'whether it is still taken and given is for the service to say',
          }),
          { only: way },
        )
    if (typeSet(a).has('object') && typeSet(b).has('object')) this.members(pair, a, b)
    if (typeSet(a).has('array') && typeSet(b).has('array')) this.items(pair, a, b)
    this.parts(pair, a, b)
    this.choices(pair, a, b)
  }

  private members(pair: Pair, a: SchemaObject, b: SchemaObject): void {
    const [p, q] = [propertiesOf(a), propertiesOf(b)]
    const [needed, needs] = [new Set(namesOf(a['required'])), new Set(namesOf(b['required']))]
    const [wasOpen, isOpen] = [
      a['additionalProperties'] !== false,
      b['additionalProperties'] !== false,
    ]
    const placeOf = ({ at, elsewhere }: Normal, name: string) =>
      elsewhere.get(name) ?? below(at, 'properties', name)
    const placed = (name: string, old = name): Partial<SchemaChange> => ({
      step: { property: name },
      before: placeOf(pair.before, old),
      after: placeOf(pair.after, name),
    })
    const written = (name: string, of: Record<string, Schema>, normal: Normal): Written => ({
      schema: of[name]!,
      at: placeOf(normal, name),
    })
    const requiring = (name: string): KeywordChange => {
      const [was, is] = [needed.has(name), needs.has(name)]
      const kind = is ? 'added' : 'removed'
      return keywordChange(kind, 'required', was, is, { narrows: is, widens: was })
    }
    const gone = Object.keys(p).filter((name) => !Object.hasOwn(q, name))
    const come = Object.keys(q).filter((name) => !Object.hasOwn(p, name))
    const renamed = this.renamed(
      gone.map((name) => ({ name, written: written(name, p, pair.before) })),
      come.map((name) => ({ name, written: written(name, q, pair.after) })),
    )
    for (const name of Object.keys(q)) {
      const former = Object.hasOwn(p, name) ? name : renamed.get(name)
      const only = onlyWay(former === undefined ? undefined : p[former], q[name])
      const way = only && { only }
      if (former === undefined) {
        this.tell(
          pair,
          keywordChange('added', 'property', undefined, needs.has(name), {
            narrows: needs.has(name),
            widens: !wasOpen,
          }),
          { ...placed(name), ...way },
        )
        continue
      }
      if (former !== name)
        this.tell(
          pair,
          keywordChange('renamed', 'property', former, name, {
            narrows: needs.has(name) || !isOpen,
            widens: needed.has(former) || !wasOpen,
            ...(!needs.has(name) && {
              undecided: `what is sent and looked for as "${former}" has no meaning any more`,
            }),
          }),
          { ...placed(name, former), ...way },
        )
      else if (needs.has(name) !== needed.has(name))
        this.tell(pair, requiring(name), { ...placed(name), ...way })
      if (!isSameAtOnce(p[former]!, q[name]!))
        this.enter(
          pair,
          { property: name },
          written(former, p, pair.before),
          written(name, q, pair.after),
          former === name ? way : { ...way, mixed: true },
        )
    }
    const former = new Set(renamed.values())
    for (const name of gone) {
      if (former.has(name)) continue
      const only = onlyWay(p[name], undefined)
      this.tell(
        pair,
        keywordChange('removed', 'property', needed.has(name), undefined, {
          narrows: !isOpen,
          widens: needed.has(name),
          ...(isOpen && { undecided: 'what is sent under its name is described no longer' }),
        }),
        { ...placed(name), ...(only && { only }) },
      )
    }
    // Names that are asked for and not described, or were and are no longer.
    for (const name of new Set([...needs, ...needed])) {
      if (needs.has(name) === needed.has(name)) continue
      // Of a property that came or went it is said already.
      if (Object.hasOwn(p, name) && (Object.hasOwn(q, name) || needed.has(name))) continue
      if (Object.hasOwn(q, name) && needs.has(name)) continue
      if (renamed.has(name) || former.has(name)) continue
      const only = onlyWay(p[name], q[name])
      this.tell(pair, requiring(name), { ...placed(name), ...(only && { only }) })
    }
    if (wasOpen !== isOpen)
      this.tell(
        pair,
        keywordChange('changed', 'additionalProperties', wasOpen, isOpen, {
          narrows: wasOpen,
          widens: isOpen,
        }),
      )
    else if (wasOpen) this.inside(pair, { other: true }, 'additionalProperties', a, b)
  }

  /** The former names of properties that are there under another: the same in all but the name, and that is alike. */
  private renamed(gone: Named[], come: Named[]): Map<string, string> {
    const found = new Map<string, string>()
    // Many that came and went at once are another object.
    if (gone.length === 0 || gone.length * come.length > 400) return found
    const left = new Set(gone)
    for (const { name, written } of come) {
      const former = [...left].find(
        (one) => areAlike(one.name, name) && this.isSameInside(one.written, written),
      )
      if (!former) continue
      left.delete(former)
      found.set(name, former.name)
    }
    return found
  }

  private isSameInside(before: Written, after: Written): boolean {
    const [a, b] = [this.old.of(before).schema, this.now.of(after).schema]
    if (a === false || b === false) return false
    return (
      haveSameTypes(a, b) &&
      isSame(a['enum'], b['enum']) &&
      a['format'] === b['format'] &&
      isSame(Object.keys(propertiesOf(a)).sort(), Object.keys(propertiesOf(b)).sort())
    )
  }

  /** A keyword whose value is one schema. */
  private inside(pair: Pair, step: Step, keyword: string, a: SchemaObject, b: SchemaObject): void {
    const [was, is] = [a[keyword], b[keyword]] as (Schema | undefined)[]
    if (isSameAtOnce(was ?? everything, is ?? everything)) return
    const written = (schema: SchemaObject, { at }: Normal): Written => ({
      schema: (schema[keyword] as Schema | undefined) ?? everything,
      at: below(at, keyword),
    })
    this.enter(pair, step, written(a, pair.before), written(b, pair.after))
  }

  private items(pair: Pair, a: SchemaObject, b: SchemaObject): void {
    const [p, q] = [listOf(a['prefixItems']), listOf(b['prefixItems'])]
    const length = Math.max(p.length, q.length)
    for (let i = 0; i < length; i++) {
      const written = (list: Schema[], rest: unknown, { at }: Normal): Written =>
        i < list.length
          ? { schema: list[i]!, at: below(at, 'prefixItems', String(i)) }
          : { schema: (rest as Schema | undefined) ?? everything, at: below(at, 'items') }
      this.enter(
        pair,
        { position: i },
        written(p, a['items'], pair.before),
        written(q, b['items'], pair.after),
      )
    }
    this.inside(pair, { item: true }, 'items', a, b)
  }

  /** Parts that could not be made one with the rest. */
  private parts(pair: Pair, a: SchemaObject, b: SchemaObject): void {
    for (const { before, after } of matched(
      chosen(a, 'allOf', pair.before),
      chosen(b, 'allOf', pair.after),
      this.mayFollow,
    )) {
      if (before && after) this.enter(pair, undefined, before, after)
      else if (after)
        this.tell(
          pair,
          keywordChange('added', 'allOf', undefined, nameOf(after.schema), { narrows: true }),
          { after: after.at },
        )
      else if (before)
        this.tell(
          pair,
          keywordChange('removed', 'allOf', nameOf(before.schema), undefined, { widens: true }),
          { before: before.at },
        )
    }
  }

  /** Where one of two schemas is nothing but choices, the other one is a choice of one; whether that is so here. */
  private union(pair: Pair, a: SchemaObject, b: SchemaObject): boolean {
    const [was, is] = [onlyChoice(a), onlyChoice(b)]
    if ((was === undefined) === (is === undefined)) return false
    const keyword = (was ?? is)!
    const p = was ? chosen(a, was, pair.before) : [asChoice(pair.before, this.old)]
    const q = is ? chosen(b, is, pair.after) : [asChoice(pair.after, this.now)]
    // Where none of the choices is of the other one's kind, each keyword says more than that all have changed.
    if (!p.some((before) => q.some((after) => this.isSameOrFollows(before, after)))) return false
    this.pairUp(pair, keyword, p, q)
    return true
  }

  private choices(pair: Pair, a: SchemaObject, b: SchemaObject): void {
    for (const keyword of ['anyOf', 'oneOf'] as const) {
      const [p, q] = [chosen(a, keyword, pair.before), chosen(b, keyword, pair.after)]
      if (p.length === 0 && q.length === 0) continue
      if (p.length === 0 || q.length === 0) {
        this.tell(
          pair,
          keywordChange(kindOf(p[0], q[0]), keyword, p.length, q.length, {
            narrows: p.length === 0,
            widens: q.length === 0,
          }),
        )
        continue
      }
      this.pairUp(pair, keyword, p, q)
    }
  }

  private pairUp(pair: Pair, keyword: 'anyOf' | 'oneOf', p: Choice[], q: Choice[]): void {
    // One that is taken twice is refused: more choices are more values only where they are apart.
    const mixed = keyword === 'oneOf' && !(this.apart(this.old, p) && this.apart(this.now, q))
    for (const { before, after } of matched(p, q, this.mayFollow)) {
      if (before && after) this.enter(pair, { choice: before.index }, before, after, { mixed })
      else if (after)
        this.tell(
          pair,
          keywordChange('added', keyword, undefined, nameOf(after.schema), {
            widens: true,
            narrows: mixed,
          }),
          { step: { choice: after.index }, after: after.at },
        )
      else if (before)
        this.tell(
          pair,
          keywordChange('removed', keyword, nameOf(before.schema), undefined, {
            narrows: true,
            widens: mixed,
          }),
          { step: { choice: before.index }, before: before.at },
        )
    }
  }

  private isSameOrFollows(before: Choice, after: Choice): boolean {
    const name = nameOf(before.schema)
    return (name !== '' && name === nameOf(after.schema)) || this.mayFollow(before, after)
  }

  /** Whether no value is taken by two of the choices. */
  private apart(normals: Normals, choices: Choice[]): boolean {
    if (choices.length > 40) return false
    const schemas = choices.map((choice) => normals.of(choice).schema)
    return schemas.every((one, i) =>
      schemas
        .slice(0, i)
        .every((other) => one === false || other === false || areApart(one, other)),
    )
  }

  /** Whether a part may be what another one became: it takes the same types, and has not another name. */
  private readonly mayFollow = (before: Choice, after: Choice): boolean => {
    if (nameOf(before.schema) !== '' && nameOf(after.schema) !== '') return false
    const [a, b] = [this.old.of(before).schema, this.now.of(after).schema]
    return a === false || b === false ? a === b : haveSameTypes(a, b)
  }
}

interface Named {
  name: string
  written: Written
}

/** The keyword of choices of which a schema is made, where it asks nothing else. */
function onlyChoice(schema: SchemaObject): 'anyOf' | 'oneOf' | undefined {
  const asked = Object.keys(schema).filter((keyword) => !isAnnotation(keyword))
  const [keyword] = asked
  return asked.length === 1 && (keyword === 'anyOf' || keyword === 'oneOf') ? keyword : undefined
}

/** A schema as a choice of one: by its name, where it has one, as others refer to it. */
function asChoice({ written, at }: Normal, normals: Normals): Choice {
  const name = normals.nameAt(at)
  const schema = name === undefined ? written : { $ref: schemaReference(name) }
  return { schema, at, index: 0 }
}

/** Whether two schemas are plainly the same: no references, nothing inside, and equal texts and numbers. */
function isSameAtOnce(a: Schema, b: Schema): boolean {
  if (a === b) return typeof a === 'boolean'
  if (typeof a === 'boolean' || typeof b === 'boolean') return false
  if ('$ref' in a) return false
  for (const key in a) if (a[key] !== b[key] || typeof a[key] === 'object') return false
  for (const key in b) if (!(key in a)) return false
  return true
}

/** The one way that a property travels, before and after. */
function onlyWay(before: Schema | undefined, after: Schema | undefined): Way | undefined {
  const wayOf = (schema: Schema | undefined): Way | undefined =>
    !isObject(schema)
      ? undefined
      : schema['readOnly'] === true
        ? 'response'
        : schema['writeOnly'] === true
          ? 'request'
          : undefined
  if (before === undefined) return wayOf(after)
  if (after === undefined) return wayOf(before)
  return wayOf(before) === wayOf(after) ? wayOf(after) : undefined
}

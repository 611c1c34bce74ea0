import yaml from 'js-yaml'
import type { Contract } from '../contract/model'
import { applySplices, splicesFor, type Change, type Splice } from '../edit/change'
import { EditFault } from '../edit/tree'
import type { Documents } from '../text/documents'
import { partsOf, type Location } from '../text/location'
import { pointerStep, pointerTo, segmentsOf, valueAt, type Pointer } from '../text/pointer'
import { isObject, namesOf } from '../text/values'
import { brokenBy, prepareRule, type Broken } from './engine'
import { scopeOf, type Surroundings } from './facts/collect'
import type { Fact } from './facts/fact'
import { ConditionError } from './meter'
import type { Fix, Rule } from './model'
import { layouts, type Layout } from '../formats/layout'
import { compileTemplate } from './template'

/** What a fix would do to one file. */
export interface FileEdit {
  file: string
  splices: Splice[]
}

/** A fix worked out: the edits of each file, how many places they fix, and what could not be done. */
export interface FixPlan {
  title: string
  files: FileEdit[]
  places: number
  faults: string[]
}

type Placed = Change & { file: string }

/**
 * Works out what a rule's fix does, for the findings with these keys or for all of them. Nothing is changed: the plan is
 * shown first, and applied to the texts by whoever holds them.
 */
export function planFix(
  documents: Documents,
  contract: Contract,
  surroundings: Surroundings,
  rule: Rule,
  fix: Fix,
  keys?: ReadonlySet<string>,
): FixPlan {
  const plan: FixPlan = { title: fix.title, files: [], places: 0, faults: [] }
  const planner = new Planner(documents, contract, rule, fix)
  const changes: Placed[] = []
  for (const broken of brokenBy(prepareRule(rule), contract, surroundings)) {
    if (keys && !keys.has(`${rule.id}: ${broken.fact.key}`)) continue
    try {
      changes.push(...planner.changes(broken))
      plan.places++
    } catch (error) {
      if (!(error instanceof EditFault || error instanceof ConditionError)) throw error
      plan.faults.push(error.message)
    }
  }
  const byFile = new Map<string, Change[]>()
  for (const { file, ...change } of changes) {
    byFile.set(file, [...(byFile.get(file) ?? []), change])
  }
  for (const [file, list] of byFile) {
    const document = documents.get(file)
    if (!document?.reading.readable) continue
    try {
      plan.files.push({ file, splices: splicesFor(document.text, document.reading.syntax, list) })
    } catch (error) {
      if (!(error instanceof EditFault)) throw error
      plan.faults.push(`${file}: ${error.message}`)
    }
  }
  return plan
}

/** The texts after a plan, by file. */
export const fixedTexts = (documents: Documents, { files }: FixPlan): Map<string, string> =>
  new Map(
    files.map(({ file, splices }) => [file, applySplices(documents.get(file)!.text, splices)]),
  )

class Planner {
  private readonly layout: Layout
  private readonly fill

  constructor(
    private readonly documents: Documents,
    private readonly contract: Contract,
    private readonly rule: Rule,
    private readonly fix: Fix,
  ) {
    this.layout = layouts[contract.format.name]
    const scope = scopeOf(rule.about)
    const template =
      fix.kind === 'set' || fix.kind === 'rename'
        ? fix.to
        : fix.kind === 'insert'
          ? fix.template
          : fix.kind === 'extract'
            ? fix.into
            : ''
    this.fill = compileTemplate(template, scope)
  }

  changes({ fact, values, meter }: Broken): Placed[] {
    const { fix } = this
    switch (fix.kind) {
      case 'set':
        return this.set(fact.at, fix.part, plainValue(this.fill(values, meter)))
      case 'insert':
        return this.set(fact.at, fix.part, yaml.load(this.fill(values, meter)))
      case 'remove':
        return this.remove(fact, fix.part)
      case 'rename':
        return this.rename(fact, this.fill(values, meter))
      case 'extract':
        return this.extract(fact, this.fill(values, meter))
    }
  }

  private place(at: Location): { file: string; pointer: Pointer } {
    const { file = this.documents.main.file, pointer } = partsOf(at)
    return { file, pointer }
  }

  private steps(part: string): string[] {
    return this.layout.changedSteps(this.rule.about, part)
  }

  private set(at: Location, part: string, value: unknown): Placed[] {
    const { file, pointer } = this.place(at)
    const steps = this.steps(part)
    const written = this.valueIn(file, pointer)
    if (this.layout.typeStandsAlone && typeof written === 'string' && steps.length === 1) {
      return [{ kind: 'set', at: pointer, value: { type: written, [steps[0]!]: value }, file }]
    }
    const target = this.resolved(file, pointer, steps)
    return [{ kind: 'set', at: target.pointer, value, file: target.file }]
  }

  private remove({ at }: Fact, part: string): Placed[] {
    const { file, pointer } = this.place(at)
    const target = this.resolved(file, pointer, this.steps(part))
    return [{ kind: 'remove', at: target.pointer, file: target.file }]
  }

  /** Goes through a reference inside of the same file, so that a part is changed where it is written. */
  private resolved(
    file: string,
    pointer: Pointer,
    steps: string[],
  ): { file: string; pointer: Pointer } {
    const document = this.documents.get(file)
    if (!document?.reading.readable || document.reading.syntax === 'xml') {
      return { file, pointer: steps.length > 0 ? `${pointer}/${steps.join('/')}` : pointer }
    }
    let here = pointer
    for (const [i, step] of steps.entries()) {
      const value = valueAt(document.reading.value, here)
      const reference = isObject(value) ? value['$ref'] : undefined
      if (i > 0 && typeof reference === 'string') {
        if (!reference.startsWith('#/')) throw new EditFault(`It is written in ${reference}`)
        here = reference.slice(1)
      }
      here = pointerStep(here, step)
    }
    return { file, pointer: here }
  }

  /** Renames what a fact is about, and everything that names it. */
  private rename(fact: Fact, to: string): Placed[] {
    if (to === '' || to === fact.own) throw new EditFault('It has that name already')
    const { file, pointer } = this.place(fact.at)
    if (this.layout.isXml) {
      return [{ kind: 'rename', at: pointer, to, file }, ...this.namedInXml(fact, to)]
    }
    if (
      this.valueIn(file, pointer) === undefined ||
      /^\d+$/.test(segmentsOf(pointer).at(-1) ?? '')
    ) {
      if (this.rule.about !== 'parameter')
        throw new EditFault(`"${fact.own}" has no key of its own to rename`)
    }
    switch (this.rule.about) {
      case 'property':
        return [{ kind: 'rename', at: pointer, to, file }, ...this.required(file, pointer, to)]
      case 'schema':
        return [
          { kind: 'rename', at: pointer, to, file },
          ...this.references(file, pointer, fact.own, to),
        ]
      case 'parameter':
        return this.parameter(fact, file, pointer, to)
      default:
        return [{ kind: 'rename', at: pointer, to, file }]
    }
  }

  /** A property's name stands in the list of required ones, and where choices are told apart by it. */
  private required(file: string, pointer: Pointer, to: string): Placed[] {
    const steps = segmentsOf(pointer)
    const name = steps.at(-1)!
    const owner = pointerTo('', ...steps.slice(0, -2))
    const schema = this.valueIn(file, owner)
    if (!isObject(schema)) return []
    if (isObject(schema['properties']) && Object.hasOwn(schema['properties'], to)) {
      throw new EditFault(`There is a property "${to}" already`)
    }
    const changes: Placed[] = namesOf(schema['required']).flatMap((required, i) =>
      required === name
        ? [{ kind: 'set', at: pointerTo(owner, 'required', i), value: to, file }]
        : [],
    )
    const discriminator = schema['discriminator']
    if (isObject(discriminator) && discriminator['propertyName'] === name) {
      changes.push({
        kind: 'set',
        at: pointerTo(owner, 'discriminator', 'propertyName'),
        value: to,
        file,
      })
    } else if (discriminator === name) {
      changes.push({ kind: 'set', at: pointerTo(owner, 'discriminator'), value: to, file })
    }
    return changes
  }

  /** Every reference to a schema, in every file. */
  private references(file: string, pointer: Pointer, name: string, to: string): Placed[] {
    if (this.contract.schemas.some((schema) => schema.name === to)) {
      throw new EditFault(`There is a schema "${to}" already`)
    }
    const changes: Placed[] = []
    for (const document of this.documents.files) {
      if (!document.reading.readable || document.reading.syntax === 'xml') continue
      const renaming = { pointer, name, to, sameFile: document.file === file }
      walk(document.reading.value, '', (value, at, key) => {
        if (typeof value !== 'string') return
        const next = this.layout.renamed({ value, at, key }, renaming)
        if (next !== undefined) changes.push({ kind: 'set', at, value: next, file: document.file })
      })
    }
    return changes
  }

  private parameter({ node }: Fact, file: string, pointer: Pointer, to: string): Placed[] {
    const { in: place, name } = node as { in: string; name: string }
    if (this.layout.parametersAreKeys) return [{ kind: 'rename', at: pointer, to, file }]
    const changes: Placed[] = [{ kind: 'set', at: pointerTo(pointer, 'name'), value: to, file }]
    if (place !== 'path') return changes
    const main = this.documents.main.file
    const paths = this.valueIn(main, '/paths')
    for (const path of Object.keys(isObject(paths) ? paths : {})) {
      if (!path.includes(`{${name}}`)) continue
      const renamed = path.replaceAll(`{${name}}`, `{${to}}`)
      changes.push({ kind: 'rename', at: pointerTo('/paths', path), to: renamed, file: main })
    }
    return changes
  }

  /** In XML Schema a type is referred to by qualified names. */
  private namedInXml(fact: Fact, to: string): Placed[] {
    if (this.rule.about !== 'schema') return []
    const changes: Placed[] = []
    for (const { file, reading } of this.documents.files) {
      if (!reading.readable || reading.syntax !== 'xml') continue
      const stack = [{ element: reading.root, path: `/${reading.root.local}` }]
      while (stack.length > 0) {
        const { element, path } = stack.pop()!
        for (const name of ['type', 'base', 'itemType']) {
          const value = element.attribute(name)
          const colon = value?.indexOf(':') ?? -1
          if (colon !== -1 && value?.slice(colon + 1) === fact.own) {
            changes.push({
              kind: 'set',
              at: `${path}/@${name}`,
              value: value.slice(0, colon + 1) + to,
              file,
            })
          }
        }
        const ranks = new Map<string, number>()
        for (const child of element.children) {
          const rank = (ranks.get(child.local) ?? 0) + 1
          ranks.set(child.local, rank)
          stack.push({ element: child, path: `${path}/${child.local}[${rank}]` })
        }
      }
    }
    return changes
  }

  /** Moves a part to where its format keeps shared ones, and leaves a reference. */
  private extract(fact: Fact, name: string): Placed[] {
    const section = this.layout.shared[this.rule.about]
    const { file, pointer } = this.place(fact.at)
    const value = this.valueIn(file, pointer)
    if (!section || value === undefined) throw new EditFault('Its format shares no such parts')
    if (file !== this.documents.main.file) throw new EditFault(`It is written in ${file}`)
    const at = pointerTo(section, name)
    const known = this.valueIn(file, at)
    if (known !== undefined && JSON.stringify(known) !== JSON.stringify(value)) {
      throw new EditFault(`Another part is called "${name}" already`)
    }
    return [
      ...(known === undefined ? [{ kind: 'set', at, value, file } as const] : []),
      { kind: 'set', at: pointer, value: { $ref: `#${at}` }, file },
    ]
  }

  private valueIn(file: string, pointer: Pointer): unknown {
    const document = this.documents.get(file)
    return document?.reading.readable && document.reading.syntax !== 'xml'
      ? valueAt(document.reading.value, pointer)
      : undefined
  }
}

/** Calls `visit` for every value of a text that is no mapping and no list. */
function walk(
  root: unknown,
  at: Pointer,
  visit: (value: unknown, at: Pointer, key: string) => void,
) {
  const stack: { value: unknown; at: Pointer; key: string }[] = [{ value: root, at, key: '' }]
  while (stack.length > 0) {
    const here = stack.pop()!
    if (Array.isArray(here.value)) {
      here.value.forEach((value, i) => stack.push({ value, at: `${here.at}/${i}`, key: here.key }))
    } else if (isObject(here.value)) {
      for (const key in here.value) {
        stack.push({ value: here.value[key], at: pointerStep(here.at, key), key })
      }
    } else visit(here.value, here.at, here.key)
  }
}

/** `200`, `true` and the like are values, everything else is text. */
function plainValue(text: string): unknown {
  if (/^(?:true|false|null|-?\d+(?:\.\d+)?)$/.test(text)) return JSON.parse(text) as unknown
  return text
}

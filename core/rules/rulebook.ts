import { invalidity } from '../contract/validate'
import type { Contract } from '../contract/model'
import type { Location } from '../text/location'
import type { Position, Diagnostic } from '../text/diagnostic'
import { locate, readText, type SourceText } from '../text/read'
import { isObject, type Node } from '../text/values'
import { prepareRule } from './engine'
import { ConditionError } from './meter'
import { compileTemplate } from './template'
import { scopeOf } from './facts/collect'
import type { Binding, Edition, Fix, Level, Rule, RuleGroup, Sample } from './model'
import { validityGroup } from './model'
import { rulebookSchema, ruleSchema } from './schema'

/** What a rulebook changes of a rule that it takes over. */
export interface RuleChange {
  id: string
  level?: Level
  binds?: Binding
  off?: boolean
}

/** A rulebook as its text says it. */
export interface Rulebook extends Omit<Edition, 'number'> {
  extends?: string
  changes: RuleChange[]
}

/** Read as far as it goes: rules that are at fault are left out and said. */
export interface RulebookReading {
  rulebook: Rulebook | undefined
  /** Rules whose expressions are at fault, to be shown to whoever fixes them. */
  faulty: Rule[]
  diagnostics: Diagnostic[]
}

const noContract = { schemas: [] } as unknown as Contract

/** Reads the text of a rulebook, and says everything that is wrong with it, each with its place. */
export function readRulebook(source: SourceText): RulebookReading {
  const reading = readText(source)
  if (!reading.readable)
    return { rulebook: undefined, faulty: [], diagnostics: reading.diagnostics }
  const faults: { at: Location; message: string }[] = []
  const faulty: Rule[] = []
  const rulebook = reading.syntax === 'xml' ? undefined : rulebookOf(reading.value, faults, faulty)
  if (reading.syntax === 'xml') faults.push({ at: '', message: 'A rulebook is YAML or JSON' })
  const places =
    reading.syntax === 'xml'
      ? new Map<Location, Position>()
      : locate(
          source.text,
          reading.syntax,
          faults.map(({ at }) => at),
        )
  const diagnostics = faults.map(({ at, message }): Diagnostic => {
    const { line, column } = places.get(at) ?? { line: 1, column: 1 }
    return { severity: 'error', message, file: source.file, line, column }
  })
  return {
    rulebook,
    faulty,
    diagnostics: [...reading.diagnostics, ...diagnostics.sort((a, b) => a.line - b.line)],
  }
}

function rulebookOf(
  value: unknown,
  faults: { at: Location; message: string }[],
  faulty: Rule[],
): Rulebook | undefined {
  const says = (at: Location, message: string) => faults.push({ at, message })
  if (!isObject(value) || value['rulebook'] !== 1) {
    says('', 'This is no rulebook: it has to begin with "rulebook: 1"')
    return undefined
  }
  const { rules: written = [], changes = [], ...rest } = value
  const outer = invalidity(noContract, { ...rest, rules: [] }, rulebookSchema)
  if (outer) says('', outer)
  const groups = (Array.isArray(rest['groups']) ? rest['groups'] : []).filter(
    (group): group is RuleGroup & Node => isObject(group) && typeof group['id'] === 'string',
  )
  const known = new Set(groups.map(({ id }) => id))
  const rules: Rule[] = []
  const seen = new Set<string>()
  if (!Array.isArray(written)) says('/rules', 'The rules are a list')
  else {
    written.slice(0, 1000).forEach((item: unknown, i) => {
      const at = `/rules/${i}`
      const name = isObject(item) && typeof item['id'] === 'string' ? item['id'] : `number ${i + 1}`
      const wrong = invalidity(noContract, item, ruleSchema)
      if (wrong) return says(at, `Rule ${name}: ${wrong}`)
      const rule = ruleOf(item as Node)
      if (seen.has(rule.id)) return says(`${at}/id`, `Another rule is called ${name} already`)
      seen.add(rule.id)
      if (rest['extends'] === undefined && !known.has(rule.group))
        says(`${at}/group`, `Rule ${name}: there is no group "${rule.group}"`)
      if (rule.group === validityGroup.id)
        says(
          `${at}/group`,
          `Rule ${name}: the group "${rule.group}" is kept for the formats' own specifications`,
        )
      try {
        prepareRule(rule)
        for (const fix of rule.fixes ?? []) checkFix(rule, fix)
      } catch (error) {
        if (!(error instanceof ConditionError)) throw error
        const { part, message } = error
        says(part ? `${at}/${part}` : at, `Rule ${name}, ${message}`)
        faulty.push(rule)
        return
      }
      rules.push(rule)
    })
  }
  return {
    name: typeof rest['name'] === 'string' ? rest['name'] : '',
    domain: typeof rest['domain'] === 'string' ? rest['domain'] : '',
    words: Array.isArray(rest['words'])
      ? rest['words'].filter((word): word is string => typeof word === 'string')
      : [],
    groups: groups.map(({ id, title, says: what }) => ({ id, title, ...(what && { says: what }) })),
    rules,
    changes: Array.isArray(changes) ? (changes.filter(isObject) as unknown as RuleChange[]) : [],
    ...(typeof rest['extends'] === 'string' && { extends: rest['extends'] }),
  }
}

const textsOf = (fix: Fix): string[] =>
  fix.kind === 'set'
    ? [fix.to]
    : fix.kind === 'rename'
      ? [fix.to]
      : fix.kind === 'insert'
        ? [fix.template]
        : fix.kind === 'extract'
          ? [fix.into]
          : []

function checkFix({ about }: Rule, fix: Fix): void {
  for (const text of textsOf(fix)) compileTemplate(text, scopeOf(about))
}

function ruleOf(item: Node): Rule {
  const { fixes, samples, ...rest } = item
  const list = Array.isArray(fixes) ? (fixes as Record<string, string>[]) : []
  const { passes = [], breaks = [] } = (samples ?? {}) as { passes?: unknown[]; breaks?: unknown[] }
  return {
    ...(rest as unknown as Rule),
    ...(list.length > 0 && { fixes: list.map(fixOf) }),
    samples: { passes: passes.map(sampleOf), breaks: breaks.map(sampleOf) },
  }
}

function fixOf({
  title = '',
  set,
  to = '',
  remove,
  rename,
  insert,
  template = '',
  extract,
}: Record<string, string>): Fix {
  if (set !== undefined) return { kind: 'set', part: set, to, title }
  if (remove !== undefined) return { kind: 'remove', part: remove, title }
  if (rename !== undefined) return { kind: 'rename', to: rename, title }
  if (insert !== undefined) return { kind: 'insert', part: insert, template, title }
  return { kind: 'extract', into: extract ?? '', title }
}

const sampleOf = (sample: unknown): Sample =>
  typeof sample === 'string' ? { text: sample } : (sample as Sample)

const strength: Record<Level, number> = { MUST: 2, SHOULD: 1, MAY: 0 }

/** Puts a rulebook on top of the one it extends. What would loosen a MUST without leave is left as it was, and said. */
export function extendRulebook(
  base: Omit<Edition, 'number'>,
  { name, domain, words, groups, rules, changes }: Rulebook,
): { edition: Omit<Edition, 'number'>; faults: string[] } {
  const faults: string[] = []
  const byId = new Map(base.rules.map((rule) => [rule.id, rule]))
  for (const { id, level, binds, off } of changes) {
    const rule = byId.get(id)
    if (!rule) {
      faults.push(`There is no rule "${id}" in ${base.name} to change`)
      continue
    }
    const loosens =
      off === true ||
      (level !== undefined && strength[level] < strength[rule.level]) ||
      binds !== undefined
    if (loosens && rule.level === 'MUST' && rule.mayBeLoosened !== true) {
      faults.push(`"${id}" is a MUST of ${base.name} and may not be loosened here`)
      continue
    }
    if (off) byId.delete(id)
    else byId.set(id, { ...rule, ...(level && { level }), ...(binds && { binds }) })
  }
  for (const rule of rules) {
    if (byId.has(rule.id))
      faults.push(`"${rule.id}" is a rule of ${base.name}; write it under changes`)
    else byId.set(rule.id, rule)
  }
  const known = new Set(base.groups.map(({ id }) => id))
  return {
    edition: {
      name: name || base.name,
      domain: domain || base.domain,
      words: [...new Set([...base.words, ...words])],
      groups: [...base.groups, ...groups.filter(({ id }) => !known.has(id))],
      rules: [...byId.values()],
    },
    faults,
  }
}

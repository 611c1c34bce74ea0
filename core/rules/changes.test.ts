import { describe, expect, it } from 'vitest'
import { houseText, readHouse } from '../../tests/support/rules'
import { changedRules, ruleDifferences, weighedRules } from './changes'
import { readRulebook } from './rulebook'

const read = (text: string) => readRulebook({ file: 'house.yaml', text }).rulebook!
const house = read(houseText)
const changedBy = (from: string, to: string) => {
  const next = read(houseText.replace(from, to))
  return {
    says: ruleDifferences(house, next).map(({ says }) => says),
    rules: changedRules(house, next).map(({ id }) => id),
  }
}

describe('what changed between two rulebooks', () => {
  it('is nothing between equals', () => {
    expect(ruleDifferences(house, house)).toEqual([])
    expect(changedRules(house, house)).toEqual([])
  })

  it('is nothing where the members of a rule stand in another order, as a database gives them back', () => {
    const turned = (value: unknown): unknown =>
      Array.isArray(value)
        ? value.map(turned)
        : typeof value === 'object' && value !== null
          ? Object.fromEntries(
              Object.entries(value)
                .reverse()
                .map(([name, member]) => [name, turned(member)]),
            )
          : value
    const kept = turned(house) as typeof house
    expect(ruleDifferences(kept, house)).toEqual([])
    expect(changedRules(kept, house)).toEqual([])
  })

  it('is a level, which weighs otherwise', () => {
    const { says, rules } = changedBy(
      'level: SHOULD\n    title: Page every list',
      'level: MUST\n    title: Page every list',
    )
    expect(says).toEqual(['list-paged becomes MUST; it was SHOULD'])
    expect(rules).toEqual(['list-paged'])
  })

  it('is the domain, which every rule asks for that speaks of the organisation', () => {
    const { says, rules } = changedBy('domain: brackenmere.example', 'domain: elsewhere.example')
    expect(says).toEqual(['the domain is elsewhere.example'])
    expect(rules).toContain('contact-email')
    expect(rules).not.toContain('list-paged')
  })

  it('is a word, which spelling asks for', () => {
    const { says, rules } = changedBy('    brackenmere,\n', '    brackenmere,\n    sluiceway,\n')
    expect(says).toEqual(['knows sluiceway'])
    expect(rules).toContain('spelling')
  })

  it('is only said where no rule finds anything else by it', () => {
    const { says, rules } = changedBy('reason: Lists grow;', 'reason: All lists grow;')
    expect(says).toEqual(['list-paged says it otherwise'])
    expect(rules).toEqual([])
  })
})

it('tells rules that only weigh otherwise from those that may find something else', () => {
  const base = readHouse()
  const change = (id: string, more: object) => ({
    ...base,
    rules: base.rules.map((rule) => (rule.id === id ? { ...rule, ...more } : rule)),
  })
  const weighed = (after: typeof base) => weighedRules(base, after).map(({ id }) => id)
  expect(weighed(base)).toEqual([])
  expect(weighed(change('operation-described', { level: 'MUST' }))).toEqual(['operation-described'])
  expect(weighed(change('operation-described', { level: 'MUST', expect: 'true' }))).toEqual([])
  expect(
    weighed(change('operation-described', { level: 'MUST', binds: { from: '2027-01-01' } })),
  ).toEqual([])
  // Another domain may make a rule that asks for it find something else.
  const moved = { ...change('contact-email', { level: 'MAY' }), domain: 'elsewhere.example' }
  expect(weighed(moved)).toEqual([])
})

import { compareContracts } from '../compare/contracts'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { looksLikeDefinition } from '../formats/detect'
import { validityGroup } from './model'
import { isAboutRuntime } from './runtime'
import { completeSample, runSamples } from './samples'
import { checkText, isWord, readHouse } from '../../tests/support/rules'

const house = readHouse()

const demoTexts = () =>
  readdirSync('demo/definitions', { recursive: true, encoding: 'utf8' })
    .filter((name) => /\.(yaml|json|wsdl)$/.test(name))
    .map((name) => readFileSync(join('demo/definitions', name), 'utf8'))
    .filter(looksLikeDefinition)

describe('the house rulebook', () => {
  it('has at least sixty rules, in groups that each hold some', () => {
    expect(house.rules.length).toBeGreaterThanOrEqual(60)
    const used = new Set(house.rules.map(({ group }) => group))
    expect([...used].sort()).toEqual(house.groups.map(({ id }) => id).sort())
    expect(used.has(validityGroup.id)).toBe(false)
  })

  it.each(house.rules.map((rule) => [rule.id, rule] as const))(
    '%s passes what keeps it and finds what breaks it',
    (_id, rule) => {
      expect(rule.samples.passes.length).toBeGreaterThan(0)
      expect(rule.samples.breaks.length).toBeGreaterThan(0)
      const wrong = runSamples(rule, house, { isWord, compare: compareContracts }).filter(
        (result) => result.wrong !== undefined,
      )
      expect(wrong).toEqual([])
    },
  )

  it('says nothing that stutters, when every rule meets every sample and the definitions of the demo', () => {
    const samples = house.rules
      .filter((rule) => !isAboutRuntime(rule))
      .flatMap(({ samples: { breaks, passes } }) => [...breaks, ...passes])
    const said = new Set<string>()
    for (const text of [...samples.map(completeSample), ...demoTexts()]) {
      const { findings } = checkText(text, house, { api: 'sample' })
      for (const { rule, message } of findings) said.add(`${rule}: ${message}`)
    }
    expect(said.size).toBeGreaterThan(300)
    const stutters = /""|“”| {2}|\(inline\)|\b1 [a-z]+s\b|\b(of|the|in|by|as) ?(?:[,;.]|$)/i
    expect([...said].filter((text) => stutters.test(text))).toEqual([])
  })
})

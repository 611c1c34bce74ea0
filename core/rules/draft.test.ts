import { describe, expect, it } from 'vitest'
import { addRule, changeRule, changeSamples, freeRuleId, lineOfRule, removeRule } from './draft'
import { readRulebook } from './rulebook'
import { houseText } from '../../tests/support/rules'

const read = (text: string) => {
  const { rulebook, diagnostics } = readRulebook({ file: 'r.yaml', text })
  expect(diagnostics).toEqual([])
  return rulebook!
}
const before = read(houseText)

describe('writing a rulebook by its form', () => {
  it('changes one line of the text for one field', () => {
    const changed = changeRule(houseText, 'list-paged', { level: 'MUST' })
    const [old, now] = [houseText.split('\n'), changed.split('\n')]
    expect(now.filter((line, i) => line !== old[i])).toEqual(['    level: MUST'])
    expect(read(changed).rules.find(({ id }) => id === 'list-paged')!.level).toBe('MUST')
  })

  it('knows the line where a rule begins', () => {
    const lines = houseText.split('\n')
    for (const { id } of before.rules.slice(0, 5))
      expect(lines[lineOfRule(houseText, id) - 1]).toContain(id)
    expect(lineOfRule(houseText, 'no-such-rule')).toBe(1)
  })

  it('gives and takes a binding', () => {
    const bound = changeRule(houseText, 'list-paged', {
      binds: { from: '2027-03-01', teams: ['Field'] },
    })
    expect(read(bound).rules.find(({ id }) => id === 'list-paged')!.binds).toEqual({
      from: '2027-03-01',
      teams: ['Field'],
    })
    expect(changeRule(bound, 'list-paged', { binds: undefined })).toBe(houseText)
  })

  it('adds a rule, its samples, and takes it away again', () => {
    const id = freeRuleId(houseText)
    const fields = {
      id,
      group: 'naming',
      level: 'MAY',
      title: 'T',
      about: 'tag',
      expect: 'size(tag.name) < 20',
      message: 'M',
      reason: 'R',
    } as const
    const added = addRule(houseText, fields)
    expect(read(added).rules).toHaveLength(before.rules.length + 1)
    const sampled = changeSamples(added, id, {
      passes: [{ text: 'tags: [{ name: A }]' }],
      breaks: [],
    })
    expect(read(sampled).rules.at(-1)!.samples.passes).toEqual([{ text: 'tags: [{ name: A }]' }])
    expect(read(removeRule(sampled, id)).rules).toEqual(before.rules)
  })

  it('keeps facts and other APIs of samples, and writes a bare piece as a text', () => {
    const passes = [{ text: 'info: { title: A }' }]
    const breaks = [
      {
        text: 'info: { title: B }',
        facts: { audience: 'public' as const },
        elsewhere: ['info: { title: C }'],
      },
    ]
    const changed = changeSamples(houseText, 'list-paged', { passes, breaks })
    const rule = read(changed).rules.find(({ id }) => id === 'list-paged')!
    expect(rule.samples).toEqual({ passes, breaks })
    const bare = changeSamples(changed, 'list-paged', {
      passes: [{ text: 'info: { title: A }', facts: {}, elsewhere: [] }],
      breaks: [],
    })
    expect(read(bare).rules.find(({ id }) => id === 'list-paged')!.samples.passes).toEqual(passes)
  })

  it('keeps samples of the house rulebook as they are, put in again', () => {
    for (const { id, samples } of before.rules.filter((_, n) => n % 4 === 0)) {
      const again = read(changeSamples(houseText, id, samples)).rules.find((rule) => rule.id === id)
      expect(again!.samples, id).toEqual(samples)
    }
  })

  it('begins the first rule of an empty rulebook', () => {
    const text = 'rulebook: 1\nname: Field\nextends: house\ngroups: []\nrules: []\n'
    const added = addRule(text, {
      id: 'a',
      group: 'naming',
      level: 'MAY',
      title: 'T',
      about: 'tag',
      expect: 'true',
      message: 'M',
      reason: 'R',
    })
    expect(read(added).rules.map(({ id }) => id)).toEqual(['a'])
  })
})

import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { compile, compileCondition } from './cel'
import type { FactType } from './facts/fact'
import { scopeOf } from './facts/collect'
import { ConditionError, newMeter } from './meter'
import { compileTemplate } from './template'

const types: Record<string, FactType> = {
  text: 'text',
  list: { list: 'value' },
  n: 'number',
  any: 'value',
}

function answer(expression: string, values: Record<string, unknown> = {}): unknown {
  const scope = Object.fromEntries(
    Object.keys(values).map((name) => [name, types[name] ?? 'value']),
  )
  return compile(expression, scope).run(Object.values(values), newMeter())
}

describe('expressions', () => {
  it.each([
    ['1 + 2 * 3 == 7', true],
    ['"a" + "b" == "ab" && 7 % 4 == 3', true],
    ['[1, 2, 3].all(x, x > 0) && ![1, 2].exists(x, x > 2)', true],
    ['[1, 2, 2].exists_one(x, x == 1)', true],
    ['[1, 2, 3].filter(x, x > 1).map(y, y * 2) == [4, 6]', true],
    ['[1, 2, 3].map(x, x > 1, x * 2) == [4, 6]', true],
    ['size([1, 2].map(x, [3, 4].filter(y, y > x))) == 2', true],
    ['"b" in ["a", "b"]', true],
    ['"a" < "b" && 2 >= 2.0', true],
    ['1 > 2 ? "x" : "y"', 'y'],
    ['"matches(x)" == "matches(x)"', true],
    ['isCamelCase("flowRate") && !isCamelCase("flow_rate")', true],
    ['camelCase("flow_rate of-water") == "flowRateOfWater"', true],
    ['isPlural("meter-points") && isSingular("hydrant") && !isPlural("hydrant")', true],
    ['isVerb(firstWord("listHydrants"))', true],
    ['mediaTypeIs("application/problem+json; charset=utf-8", "application/*+json")', true],
    ['occurrences(["a", "b", "a"], "a") == 2 && duplicates(["a", "b", "a"]) == ["a"]', true],
    ['majorOf("v12.3") == 12 && majorOf("x") == -1', true],
    [
      'hostOf("https://api.brackenmere.example/a") == "api.brackenmere.example" && hostOf("/a") == ""',
      true,
    ],
    ['isSentence("Lists the hydrants.") && !isSentence("lists")', true],
    ['isPlaceholder("TODO") && !isPlaceholder("To do with water")', true],
  ])('%s', (expression, expected) => {
    expect(answer(expression)).toEqual(expected)
  })

  it('let one side decide where the other fails, as the language says', () => {
    expect(answer('any.missing == 1 || true', { any: {} })).toBe(true)
    expect(answer('any.missing == 1 && false', { any: {} })).toBe(false)
    expect(() => answer('any.missing == 1 || false', { any: {} })).toThrow(/no "missing"/)
  })

  it('see nothing but what is given to them', () => {
    for (const name of ['constructor', '__proto__', 'toString', 'hasOwnProperty']) {
      expect(() => answer(`any.${name}`, { any: {} })).toThrow(ConditionError)
      expect(() => answer(`any["${name}"]`, { any: {} })).toThrow(ConditionError)
      expect(() => compile(`${name}("x")`, {})).toThrow(ConditionError)
    }
  })

  it.each([
    ['a ==', /./],
    ['1 + 1', /yes or no/],
    ['nothing == 1', /no "nothing" here; there is text/],
    ['text.sizee() > 1', /no function "sizee"/],
    ['text.matches(1)', /matches takes text, text; this is a number/],
    ['matches(text)', /matches takes/],
    ['text.all(x, true)', /goes through a list/],
  ])('say what is wrong with "%s"', (expression, message) => {
    expect(() => compileCondition(expression, { text: 'text' })).toThrow(message)
  })

  it('know the fields of what they speak about, and where a wrong one stands', () => {
    const scope = scopeOf('property')
    expect(() => compileCondition('property.nam == ""', scope)).toThrow(
      /a property has no "nam"; it has name, .* \(at character \d+\)/,
    )
    expect(() => compileCondition('schema.properties.all(p, p.nam == "")', scope)).toThrow(
      /property has no "nam"/,
    )
    expect(() => compileCondition('operation.id == ""', scope)).toThrow(/no "operation" here/)
  })

  it('match patterns in time linear in the text', () => {
    // A backtracking engine would not come back from this.
    expect(answer('text.matches("^(a+)+$")', { text: `${'a'.repeat(50_000)}b` })).toBe(false)
  })

  it('are stopped where they take too much work', () => {
    const numbers = Array.from({ length: 4000 }, (_, i) => i)
    expect(() =>
      answer('list.all(a, list.all(b, list.all(c, a + b + c >= 0)))', { list: numbers }),
    ).toThrow(/more work/)
  })

  it('agree with the language they are written in', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -50, max: 50 }), { maxLength: 12 }),
        fc.integer({ min: -50, max: 50 }),
        (list, n) => {
          expect(answer('list.filter(x, x > n).map(x, x - n)', { list, n })).toEqual(
            list.filter((x) => x > n).map((x) => x - n),
          )
          expect(answer('list.exists(x, x == n) == (n in list)', { list, n })).toBe(true)
          expect(answer('list.all(x, x < n) == !list.exists(x, x >= n)', { list, n })).toBe(true)
        },
      ),
    )
  })
})

describe('messages', () => {
  it('are filled with what expressions in braces answer', () => {
    const message = compileTemplate('"{text}" has {size(text)} {{braces}} and {[text, "}"]}', {
      text: 'text',
    })
    expect(message(['abc'], newMeter())).toBe('"abc" has 3 {braces} and abc, }')
  })

  it('say where a brace is not closed', () => {
    expect(() => compileTemplate('a {text', { text: 'text' })).toThrow(/character 3/)
  })
})

import { describe, expect, it } from 'vitest'
import { completeCondition, conditionFault } from './complete'
import type { SubjectKind } from './model'

/** What is suggested at the bar in an expression. */
const at = (marked: string, about: SubjectKind = 'operation') => {
  const offset = marked.indexOf('|')
  const found = completeCondition(marked.replace('|', ''), offset, about)
  return found && { from: found.from, labels: found.suggestions.map(({ label }) => label) }
}

describe('suggestions in a condition', () => {
  it('are the names of the scope and the functions at the beginning of a word', () => {
    const { from, labels } = at('op|')!
    expect(from).toBe(0)
    expect(labels).toEqual(expect.arrayContaining(['operation', 'definition', 'lower']))
  })

  it.each<[string, string]>([
    ['operation.|', 'method'],
    ['operation.me|', 'method'],
    ['operation.responses.|', 'all'],
    ['operation.responses.all(r, r.|', 'status'],
    ['operation.responses.exists(r, r.content.exists(c, c.|', 'type'],
    ['size(operation.|', 'method'],
    ['operation.method == "GET" && operation.|', 'path'],
  ])('%s offers %s', (marked, label) => {
    expect(at(marked)!.labels).toContain(label)
  })

  it.each([
    'operation.method == "op|',
    "operation.method == 'a\\'op|",
    'operation.method.|',
    'nothing.|',
    'operation.toString.|',
  ])('%s offers nothing', (marked) => {
    expect(at(marked)).toBeUndefined()
  })

  it('say from where they are put', () => {
    expect(at('true && operation.me|')!.from).toBe('true && operation.'.length)
  })
})

describe('what is wrong with a condition', () => {
  it('is nothing where it can be read', () => {
    expect(conditionFault('operation.method == "GET"', 'operation')).toBeUndefined()
  })

  it.each<[string, string, string]>([
    ['operation.methot == "GET"', 'methot', 'methot'],
    ['true && colour == 1', 'colour', 'colour'],
    ['operation.method ==', '', 'EOF'],
    ['operation.method', 'operation.method', 'yes or no'],
  ])('%s is told at "%s"', (expression, word, says) => {
    const { message, from, to } = conditionFault(expression, 'operation')!
    expect(message).toContain(says)
    expect(from).toBeLessThanOrEqual(expression.length)
    expect(expression.slice(from, to)).toContain(word)
  })
})

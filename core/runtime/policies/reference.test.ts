import { readFileSync } from 'node:fs'
import yaml from 'js-yaml'
import { expect, it } from 'vitest'
import { readPolicySet } from '.'
import { policyReference } from './reference'

it('is the page that the documentation has', () => {
  expect(readFileSync('docs/policies-reference.md', 'utf8')).toBe(policyReference())
})

it('shows examples that are taken', () => {
  const examples = [...policyReference().matchAll(/```yaml\n([\s\S]*?)\n```/g)].map(
    ([, text]) => text!,
  )
  expect(examples.length).toBeGreaterThan(20)
  for (const text of examples) expect(readPolicySet(yaml.load(text)).misfits, text).toBeUndefined()
})

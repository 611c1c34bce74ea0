import { describe, expect, it } from 'vitest'
import { isFilePath, isRefName, refText, ruleOf, type RefRule } from './refs'

const rules: RefRule[] = [
  { kind: 'branch', name: 'main', stage: 'Trial' },
  { kind: 'branch', name: 'release/*', stage: 'Rehearsal' },
  { kind: 'tag', name: 'v*', stage: 'Live' },
  { kind: 'branch', name: '*', stage: 'Trial' },
]

describe('a branch or tag', () => {
  it('belongs to the stage of the first rule that names it', () => {
    const stage = (ref: string) => ruleOf(rules, ref)?.stage
    expect(stage('refs/heads/main')).toBe('Trial')
    expect(stage('refs/heads/release/2.4')).toBe('Rehearsal')
    expect(stage('refs/tags/v2.4.0')).toBe('Live')
    expect(stage('refs/tags/nightly')).toBeUndefined()
    expect(stage('refs/heads/mainly')).toBe('Trial')
    expect(stage('main')).toBeUndefined()
    expect(ruleOf(rules.slice(0, 1), 'refs/heads/mainly')).toBeUndefined()
    expect(ruleOf(rules, 'refs/notes/commits')).toBeUndefined()
  })

  it('is told as people say it', () => {
    expect(refText('refs/heads/release/2.4')).toBe('release/2.4')
    expect(refText('refs/tags/v2.4.0')).toBe('tag v2.4.0')
  })

  it('has a name that git takes and no shell reads', () => {
    for (const name of ['main', '*', 'release/*', 'v2.4.0', 'v*', 'a/b-c_d+e'])
      expect(isRefName(name), name).toBe(true)
    for (const name of [
      '',
      '-x',
      'a..b',
      'a b',
      '$(rm)',
      'a;b',
      '/a',
      'a//b',
      'a.lock',
      'a.',
      '*a',
    ])
      expect(isRefName(name), name).toBe(false)
  })
})

describe('a file of a repository', () => {
  it('lies below its top', () => {
    for (const path of ['openapi.yaml', 'apis/meter readings/v4.yaml', 'a/.b/c'])
      expect(isFilePath(path), path).toBe(true)
    for (const path of ['', '/a', '../a', 'a/../b', 'a//b', './a', '.git/config', 'a\\b', 'a"b'])
      expect(isFilePath(path), path).toBe(false)
  })
})

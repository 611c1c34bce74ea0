import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it, vi } from 'vitest'
import { Failure } from '../services/failure'
import type { Progressed } from './analysis'
import { threadedExaminer } from './examiner'

describe('a thread that fails', () => {
  const folder = mkdtempSync(join(tmpdir(), 'elm-thread-'))
  writeFileSync(
    join(folder, 'analysis-thread.mjs'),
    'export default () => { throw new RangeError("Too deep") }',
  )
  const examiner = threadedExaminer(folder, 1)
  afterAll(() => examiner.close())

  it('is told to whoever waits, in words, and noted for whoever runs the register', async () => {
    const noted = vi.spyOn(console, 'error').mockImplementation(() => undefined)
    const failure = await examiner.unpack(new Uint8Array()).catch((error: unknown) => error)
    expect(failure).toBeInstanceOf(Failure)
    expect(failure).toMatchObject({
      status: 500,
      detail: expect.stringContaining('Too deep') as string,
    })
    expect(noted).toHaveBeenCalledOnce()
  })
})

describe('a comparison in a thread', () => {
  const examiner = threadedExaminer('dist', 1)
  afterAll(() => examiner.close())

  it('says how far it is, and what changed with what shows it', async () => {
    const read = (name: string) => ({
      name,
      bytes: readFileSync(join('demo/definitions/meter-readings', name)),
    })
    const progress: Progressed[] = []
    const compared = await examiner.compare([read('3.9.2.yaml')], [read('4.0.0.yaml')], (one) =>
      progress.push(one),
    )
    if ('fault' in compared) throw new Error(compared.fault)
    expect(compared.versions).toEqual(['3.9.2', '4.0.0'])
    expect(compared.fitting).toEqual({ fits: '4.0.0', isEnough: true })
    for (const { effect, witness } of compared.changes)
      expect(effect === 'breaking').toBe(witness !== null)
    expect(progress.length).toBeGreaterThan(0)
    expect(progress.at(-1)!.done).toBeLessThanOrEqual(compared.operations)
  })

  it('of what is no definition says which one that is', async () => {
    const text = (name: string, said: string) => ({ name, bytes: Buffer.from(said) })
    const whole = text('a.yaml', 'openapi: 3.1.0\ninfo: { title: A, version: "1" }\npaths: {}\n')
    expect(await examiner.compare([whole], [text('b.yaml', 'no: thing')])).toEqual({
      fault: 'b.yaml is not readable as a definition.',
    })
  })
})

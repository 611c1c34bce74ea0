import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it, vi } from 'vitest'
import { Failure } from '../services/failure'
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

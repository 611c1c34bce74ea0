import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Described } from '../core/runtime/described'
import { Inspector } from './inspector'

const described: Described = {
  schemas: [{ name: 'Reading', schema: { type: 'object', required: ['at'] } }],
  operations: {
    'POST /readings': {
      parameters: [],
      body: {
        required: true,
        content: [
          {
            type: 'application/json',
            schema: { type: 'array', items: { $ref: '#/components/schemas/Reading' } },
          },
        ],
      },
      responses: [],
    },
  },
}

describe('looking into messages in threads', () => {
  let inspector: Inspector
  const atOnce = new Inspector(undefined)
  beforeAll(() => void (inspector = new Inspector(join(import.meta.dirname, '../dist'))))
  afterAll(() => inspector.close())

  const ask = (by: Inspector, body: string) => {
    const bytes = Buffer.from(body)
    const input = {
      row: 'POST /readings',
      contentType: 'application/json',
      hasBody: true,
      values: [],
      bytes,
    }
    return by.look('request', described, input, bytes.length)
  }
  const body = (items: number, last: string) => `[${'{"at":1},'.repeat(items)}${last}]`

  it('comes to what is found at once, for each size and on every thread', async () => {
    const all = [1, 500, 2000, 20_000].flatMap((items) => [
      body(items, '{"at":2}'),
      body(items, '{"to":2}'),
      body(items, '}'),
    ])
    const asked = [...all, ...all].map(async (text) => ask(inspector, text))
    const found = await Promise.all(asked)
    expect(found).toEqual(
      await Promise.all([...all, ...all].map(async (text) => ask(atOnce, text))),
    )
    expect(found.filter(({ faults }) => faults.length > 0).length).toBe(all.length * (4 / 3))
  })

  it('never does more at once than a few kilobytes, and then in a few steps', () => {
    expect(ask(inspector, body(10, '{"at":2}'))).not.toBeInstanceOf(Promise)
    const large = ask(inspector, body(2000, '{"at":2}'))
    expect(large).toBeInstanceOf(Promise)
    return large
  })

  it('says what it could not look at as a whole', async () => {
    const most = body(600_000, '{"at":2}')
    expect(await ask(atOnce, most)).toEqual({ faults: [], isWhole: false })
  })
})

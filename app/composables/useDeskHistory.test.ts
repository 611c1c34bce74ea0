import '../../tests/support/nuxt'
import { describe, expect, it } from 'vitest'
import { exchangeText, readable, useDeskHistory, type SentRequest } from './useDeskHistory'

const sentOnce: Omit<SentRequest, 'id' | 'at'> = {
  placement: 'levels-live-1',
  label: 'Reservoir Levels 2.2.0 in Live',
  operation: 'GET /levels',
  method: 'GET',
  path: '/levels/v2/levels',
  gateway: '',
  headers: [{ name: 'Prefer', value: 'code=404' }],
  mediaType: 'application/json',
  body: '',
  response: {
    status: 200,
    headers: [
      { name: 'date', value: 'today' },
      { name: 'content-type', value: 'application/json' },
    ],
    body: '{"a":1}',
    cut: false,
    ms: 12,
    steps: [{ name: 'match', passed: true, text: 'GET /levels matched' }],
    verdict: '',
  },
}

describe('requests of the desk', () => {
  it('are remembered, the newest first, and not without end', () => {
    const { sent, add, clear } = useDeskHistory()
    for (let n = 0; n < 40; n++) add({ ...sentOnce, path: `/${n}` })
    expect(sent.value).toHaveLength(30)
    expect(sent.value[0]).toMatchObject({ path: '/39', id: 40 })
    add({ ...sentOnce, response: { ...sentOnce.response, body: 'x'.repeat(90_000) } })
    expect(sent.value[0]!.response.body).toHaveLength(20_000)
    const headers = [{ name: 'Prefer', value: 'code=404' }]
    add({ ...sentOnce, headers })
    headers[0]!.value = 'code=500'
    expect(sent.value[0]!.headers).toEqual([{ name: 'Prefer', value: 'code=404' }])
    clear()
    expect(sent.value).toEqual([])
  })

  it('are compared without what differs every time', () => {
    const text = exchangeText({ ...sentOnce, id: 1, at: '' })
    expect(text).toBe(
      [
        'GET /levels/v2/levels',
        'Prefer: code=404',
        '',
        '200',
        'content-type: application/json',
        '',
        '{\n  "a": 1\n}',
        '',
        '✓ match: GET /levels matched',
      ].join('\n'),
    )
    expect(readable('<a/>')).toBe('<a/>')
  })
})

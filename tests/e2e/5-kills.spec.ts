import type { PolicySet } from '../../core/runtime/policies'
import { rateOf, withRate } from '../support/policies'
import { expect, test, type APIRequestContext } from '@playwright/test'
import { control } from './support'

/** How often something is killed: `ELM_KILLS=100` for a long run. */
const kills = Number(process.env['ELM_KILLS'] ?? 6)
const victims = ['worker', 'north-edge', 'south-edge', 'web', 'database'] as const
const id = 'leak-sensors-trial-1'

const basic = `Basic ${Buffer.from('tomas:elm-demo-2026').toString('base64')}`

/** The same request until something answers it: what is killed comes back by itself. */
async function until<T>(ask: () => Promise<T | undefined>): Promise<T> {
  for (let tries = 0; tries < 300; tries++) {
    const answer = await ask().catch(() => undefined)
    if (answer !== undefined) return answer
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  throw new Error('nothing answers any more')
}

const signIn = (request: APIRequestContext) =>
  until(async () => {
    const answer = await request.post('/api/v1/session', { headers: { authorization: basic } })
    return answer.ok() ? true : undefined
  })

interface Placement {
  generation: number
  rollout?: number
  mark: string
  spec: { policies: PolicySet }
}
interface Entry {
  action: string
  subject: string
  after: { spec?: { policies?: PolicySet } } | null
}

test('whatever is killed at whatever moment, no change is half done, lost or done twice', async ({
  request,
}) => {
  test.setTimeout(120_000 + kills * 30_000)
  await signIn(request)
  const read = () =>
    until(async () => {
      const answer = await request.get(`/api/v1/placements/${id}`)
      if (answer.status() === 401) await signIn(request)
      return answer.ok() ? ((await answer.json()) as Placement) : undefined
    })
  const settled = () =>
    until(async () => {
      const placement = await read()
      return placement.rollout === undefined ? placement : undefined
    })
  const limits = async () => {
    const answer = await fetch(control('/limits'))
    return (await answer.json()) as number[]
  }
  for (let n = 0; n < kills; n++) {
    const requests = 10_000 + n
    const before = await settled()
    const victim = victims[Math.floor(Math.random() * victims.length)]!
    const asked = request
      .put(`/api/v1/placements/${id}`, {
        data: withRate(before.spec, requests),
        headers: { 'if-match': `"placement-${before.generation}"` },
      })
      .then((answer) => answer.status())
      .catch(() => 0)
    await new Promise((resolve) => setTimeout(resolve, Math.random() * 900))
    await fetch(control(`/kill/${victim}`))
    const status = await asked
    // What was acknowledged is there; what is there was done once; what is not there is nowhere. The database may still
    // carry out what a process had sent before it died, so that is how it has to be in the end.
    const verdict = async () => {
      const after = await settled()
      const done = rateOf(after.spec) === requests
      const entries = await until(async () => {
        const answer = await request.get(`/api/v1/ledger?search=${id}&limit=20`)
        return answer.ok() ? ((await answer.json()) as { items: Entry[] }).items : undefined
      })
      const applied = entries.filter(
        ({ action, after: state }) =>
          action === 'placement.changed' &&
          state?.spec?.policies !== undefined &&
          rateOf({ policies: state.spec.policies }) === requests,
      )
      const times = done ? 1 : 0
      return {
        acknowledged: status !== 200 || done,
        once: after.generation - before.generation === times && applied.length === times,
        runs: (await limits()).every((limit) => limit === rateOf(after.spec)),
      }
    }
    await expect
      .poll(verdict, { message: `kill ${n} of ${victim}, answered ${status}`, timeout: 30_000 })
      .toEqual({ acknowledged: true, once: true, runs: true })
  }
  const verdict = await until(async () => {
    const answer = await request.post('/api/v1/ledger/verify')
    return answer.ok() ? ((await answer.json()) as { brokenAt?: number }) : undefined
  })
  expect(verdict.brokenAt).toBeUndefined()
})

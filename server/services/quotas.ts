import { eq } from 'drizzle-orm'
import { grouped } from '../../core/text/grouped'
import { gateways } from '../db/schema'
import type { Services } from './context'
import { Failure } from './failure'
import { readQuotas, tellQuotas, type QuotaCount } from '../gateways/admin-api'

/**
 * Tells the gateways of each group what the others have counted, so that a quota holds over all of them. What one cannot
 * be asked for is missing from what the others learn until it answers again; counts only grow.
 */
export async function exchangeQuotas({ db, gatewaySecret }: Services): Promise<void> {
  const rows = await db
    .select({ name: gateways.name, adminUrl: gateways.adminUrl, group: gateways.group })
    .from(gateways)
    .where(eq(gateways.kind, 'admin-api'))
  const groups = grouped(rows, ({ group }) => group)
  await Promise.all(
    [...groups.values()].map(async (members) => {
      if (members.length < 2) return
      const counted = await Promise.all(
        members.map((member) => unlessDown(readQuotas(member, gatewaySecret))),
      )
      await Promise.all(
        members.map((member, index) => {
          const others = sums(counted.filter((_, other) => other !== index))
          return others.length > 0
            ? unlessDown(tellQuotas(member, gatewaySecret, others))
            : Promise.resolve()
        }),
      )
    }),
  )
}

/** One that is down does not keep the others from knowing of one another. */
const unlessDown = <T>(asked: Promise<T>): Promise<T | undefined> =>
  asked.catch((error: unknown) => {
    if (error instanceof Failure) return undefined
    throw error
  })

/** What some gateways have counted together. */
function sums(counted: (QuotaCount[] | undefined)[]) {
  const found = new Map<string, { who: string; period: string; taken: number }>()
  for (const { who, period, own } of counted.flatMap((counts) => counts ?? [])) {
    const key = `${period}\n${who}`
    const known = found.get(key)
    if (known) known.taken += own
    else found.set(key, { who, period, taken: own })
  }
  return [...found.values()]
}

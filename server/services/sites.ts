import { sql } from 'drizzle-orm'
import type { Difference } from '../../core/drift/compare'
import type { DriftAccount } from '../../shared/words'
import { placementSites } from '../db/schema'

/** A placement whose gateway has not been read for longer than this is not seen. */
export const unseenAfterMs = 5 * 60_000

/** A difference, where it was seen, and since when. */
export type SiteDifference = Omit<Difference, 'operations'> & {
  drift: number
  account: DriftAccount
  on: string
  since: string
}

/** Whether drift counts: it has not ended, and nobody accepted it. */
export const isOpenDrift = sql<boolean>`closed_at is null and coalesce(accepted_until, '-infinity') <= now()`

/**
 * How a placement was last seen over all gateways of its group, as columns of a query over placements. Names are
 * written out, since a query over one table alone would leave the tables' names away.
 */
export const seen = {
  /** The oldest of the last readings; null where some member has not been read yet. */
  checkedAt: sql<Date | null>`(
    select case when count(*) = count(site.checked_at) then min(site.checked_at) end
    from gateways member
    left join placement_sites site on site.gateway = member.name and site.placement_id = placements.id
    where member."group" = placements."group")`.mapWith(placementSites.checkedAt),
  differences: sql<SiteDifference[]>`(
    select coalesce(jsonb_agg(jsonb_build_object(
      'drift', d.id, 'account', d.account, 'on', d.gateway, 'where', d."where", 'what', d.what,
      'ledger', d.ledger, 'gateway', d.runs, 'cause', d.cause ->> 'text', 'since', d.opened_at)
      order by d.account = 'gateway' desc, d.gateway, d.id), '[]')
    from drift d where d.placement = placements.id and ${isOpenDrift})`,
}

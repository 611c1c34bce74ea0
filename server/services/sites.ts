import { sql } from 'drizzle-orm'
import type { Difference } from '../../core/drift/compare'
import { placementSites } from '../db/schema'

/** A difference, and the gateway it is on. */
export type SiteDifference = Difference & { on: string }

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
    select coalesce(jsonb_agg(d || jsonb_build_object('on', site.gateway) order by site.gateway), '[]')
    from placement_sites site, jsonb_array_elements(site.differences) d
    where site.placement_id = placements.id)`,
}

/** Whether some gateway of its group differs from a placement. */
export const differsSomewhere = sql<boolean>`exists (
  select 1 from placement_sites site
  where site.placement_id = placements.id and jsonb_array_length(site.differences) > 0)`

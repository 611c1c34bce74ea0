import { eq } from 'drizzle-orm'
import { apis, placements, revisionFiles, revisions, versions } from '../server/db/schema'
import { bringIn, definition, type World } from '../tests/support/world'

const slug = 'supply-interruptions'
export const version = '2.4.0'

/** One of many APIs that are the same but for their names, each placed in the first stage. */
export interface Copy {
  apiId: number
  revisionId: number
  /** Its placement as a row that others can be made of. */
  placement: typeof placements.$inferInsert
}

/** Makes many APIs of one, each with its placement, without the way that each would take by itself. */
export async function copies(world: World, many: number): Promise<Copy[]> {
  const { db } = world
  const tomas = await world.visitor('tomas')
  await bringIn(tomas, definition(`${slug}/${version}.yaml`))
  const { spec, group } = await tomas.api.getPlacementDraft({ api: slug })
  const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
  await tomas.api.createPlacement({}, { api: slug, version, group, spec: { ...spec, routes } })
  const [api] = await db.select().from(apis).where(eq(apis.slug, slug))
  const [revision] = await db.select().from(revisions).where(eq(revisions.apiId, api!.id))
  const [placement] = await db.select().from(placements)
  const files = await db
    .select()
    .from(revisionFiles)
    .where(eq(revisionFiles.revisionId, revision!.id))
  const made: Copy[] = []
  for (let n = 0; n < many; n++) {
    const { id: _api, ...like } = api!
    const [own] = await db
      .insert(apis)
      .values({ ...like, slug: `${slug}-${n}`, title: `Copy ${n}` })
      .returning({ id: apis.id })
    const apiId = own!.id
    const { id: _revision, ...text } = revision!
    const [copy] = await db
      .insert(revisions)
      .values({ ...text, apiId })
      .returning({ id: revisions.id })
    const revisionId = copy!.id
    await db.insert(revisionFiles).values(files.map((file) => ({ ...file, revisionId })))
    await db.insert(versions).values({ apiId, version, revisionId })
    const at = { ...placement!.spec, basePath: `/copy-${n}` }
    const row = { ...placement!, id: `copy-${n}`, apiId, revisionId, spec: at }
    await db.insert(placements).values(row)
    made.push({ apiId, revisionId, placement: row })
  }
  return made
}

import { act, Collection, crud, missing } from './collection'
import { reply, type Handlers } from './rest'

const now = () => new Date().toISOString()

/** Supply Interruptions: interruptions, areas and notices of two supply areas. */
export function supplyInterruptions(): Handlers {
  const interruptions = new Collection('interruptionId', 'int', [
    {
      interruptionId: 'int-4021',
      kind: 'unplanned',
      cause: 'burst-main',
      description: 'A burst main on Alder Lane; crews are on site.',
      startedAt: '2026-11-20T06:10:00Z',
      areaId: 'area-12',
      properties: 312,
      pressureBar: 0.4,
      status: 'open',
    },
    {
      interruptionId: 'int-4022',
      kind: 'planned',
      cause: 'planned-work',
      description: 'Valve replacement in Rowan Close.',
      startedAt: '2026-12-02T08:00:00Z',
      expectedEndAt: '2026-12-02T15:00:00Z',
      areaId: 'area-14',
      properties: 84,
      pressureBar: 2.1,
      status: 'open',
    },
  ])
  const areas = new Collection('areaId', 'area', [
    {
      areaId: 'area-12',
      name: 'Upper Brackenmere',
      postcodes: ['BM1 2', 'BM1 3'],
      households: 5840,
    },
    { areaId: 'area-14', name: 'Mill End', postcodes: ['BM2 1'], households: 2210 },
  ])
  const notices = new Collection('noticeId', 'ntc', [
    {
      noticeId: 'ntc-77',
      kind: 'boil-water',
      text: 'Boil water for drinking until further notice.',
      areaId: 'area-12',
      publishedAt: '2026-11-20T08:00:00Z',
    },
  ])
  const updates = new Collection('updateId', 'upd', [
    {
      updateId: 'upd-9',
      interruptionId: 'int-4021',
      writtenAt: '2026-11-20T07:00:00Z',
      text: 'The broken section has been isolated.',
    },
  ])
  const subscriptions = new Collection('subscriptionId', 'sub', [])
  return {
    ...crud('/interruptions', 'interruptionId', interruptions, () => ({
      status: 'open',
      pressureBar: 0,
    })),
    ...act('/interruptions/{interruptionId}/close', 'interruptionId', interruptions, () => ({
      status: 'closed',
      endedAt: now(),
    })),
    'GET /interruptions/{interruptionId}/updates': ({ params, query }) =>
      updates.page(query, (item) => item['interruptionId'] === params['interruptionId']),
    'POST /interruptions/{interruptionId}/updates': ({ params, body }) =>
      reply(
        updates.add({ ...body, interruptionId: params['interruptionId'], writtenAt: now() }),
        201,
      ),
    'GET /interruptions/export': () => ({
      status: 200,
      mediaType: 'text/csv',
      body: 'id,kind,startedAt,endedAt,properties\nint-4021,unplanned,2026-11-20T06:10:00Z,,312\n',
    }),
    ...crud('/areas', 'areaId', areas),
    'GET /areas/{areaId}/status': ({ params }) => {
      const area = areas.get(params['areaId']!)
      if (!area) return missing('area')
      return reply({
        areaId: params['areaId'],
        supply: 'reduced',
        openInterruptions: 1,
        checkedAt: now(),
      })
    },
    ...crud('/notices', 'noticeId', notices, () => ({ publishedAt: now() })),
    ...crud('/subscriptions', 'subscriptionId', subscriptions, () => ({ createdAt: now() })),
  }
}

/** Reservoir Levels: three reservoirs whose levels move a little with the minute. */
export function reservoirLevels(): Handlers {
  const level = (base: number) => {
    const drift = Math.sin(Date.now() / 600_000) / 2
    const percentFull = Math.round((base + drift) * 10) / 10
    return {
      measuredAt: now(),
      metresAboveDatum: Math.round((180 + percentFull / 2.4) * 100) / 100,
      percentFull,
    }
  }
  const bases: Record<string, [name: string, capacity: number, full: number]> = {
    alder: ['Alder Mere', 14_200, 78],
    birch: ['Birch Tarn', 6_300, 64],
    hazel: ['Hazel Water', 21_800, 83],
  }
  const reservoir = (id: string) => {
    const [name, capacityMegalitres, full] = bases[id]!
    return { reservoirId: id, name, capacityMegalitres, level: level(full) }
  }
  const known = (id: string | undefined, answer: (id: string) => unknown) =>
    id !== undefined && Object.hasOwn(bases, id) ? reply(answer(id)) : missing('reservoir')
  return {
    'GET /reservoirs': () => reply({ items: Object.keys(bases).map(reservoir) }),
    'GET /reservoirs/{id}': ({ params }) => known(params['id'], reservoir),
    'GET /reservoirs/{id}/levels': ({ params }) =>
      known(params['id'], (id) => ({ items: [level(bases[id]![2])] })),
    'GET /reservoirs/{id}/levels/latest': ({ params }) =>
      known(params['id'], (id) => level(bases[id]![2])),
    'GET /reservoirs/{id}/outlook': ({ params }) =>
      known(params['id'], (id) => ({
        reservoirId: id,
        computedOn: now().slice(0, 10),
        percentFullLow: bases[id]![2] - 7,
        percentFullHigh: bases[id]![2] + 9,
      })),
    'GET /catchments': () =>
      reply({
        items: [
          { catchmentId: 'upper-bracken', name: 'Upper Bracken', areaSquareKilometres: 64.2 },
        ],
      }),
  }
}

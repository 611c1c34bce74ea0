import { announcementWays, type AnnouncementWay } from '../words'
import { endings } from '../../core/pipeline/succession'
import { PageQuery } from './catalog'
import { choice, day, flag, many, moment, one, text, texts, whole } from './fields'

/** What a client was told. */
export class AnnouncementItem {
  @moment({ says: 'When.' })
  at!: string

  @text({ says: 'By whom.', example: 'Imara Holt' })
  by!: string

  @choice(announcementWays, { says: 'By mail from here, or otherwise.' })
  how!: AnnouncementWay

  @choice(['told', 'on-its-way', 'failed'], {
    says: 'Whether it was delivered; what could not be told nobody.',
  })
  state!: 'told' | 'on-its-way' | 'failed'

  @text({
    says: 'Why it could not be delivered; empty where it was.',
    example: '',
    max: 2000,
  })
  trouble!: string
}

/** A client, and what it called. */
export class CallerItem {
  @text({ says: 'The client; empty where nobody knows who calls.', example: 'Alder Homes' })
  client!: string

  @text({
    says: 'Where it is told; empty where nobody knows.',
    example: 'api@alder-homes.example',
  })
  contact!: string

  @whole({ says: 'Calls.', example: 1204 })
  calls!: number

  @texts({ says: 'What it called, the most first.', example: ['GET /readings'], max: 100_000 })
  operations!: string[]

  @texts({ says: 'Where.', example: ['supply-interruptions-live-1'] })
  placements!: string[]

  @one(() => AnnouncementItem, { says: 'What it was told last of this.', optional: true })
  told?: AnnouncementItem
}

/** Clients are told of a change or an end. */
export class AnnouncementRequest {
  @texts({ says: 'The clients, by name.', example: ['Alder Homes'], max: 200 })
  clients!: string[]

  @choice(announcementWays, {
    says: 'By mail to the contact of each, or otherwise: then it is kept that it was done.',
  })
  how!: AnnouncementWay

  @text({
    says: 'What they are told, or how they were.',
    example: 'From 1 March on, readings have a unit of their own. Both are served until then.',
    min: 10,
    max: 4000,
  })
  says!: string
}

export class KeyContactChange {
  @text({
    says: 'Where whoever holds the key is told, as a mail address; empty for nowhere.',
    example: 'api@alder-homes.example',
    max: 200,
  })
  contact!: string
}

/** Who still calls what ends. */
export class EndingCaller {
  @text({ says: 'The client; empty where nobody knows who calls.', example: 'Alder Homes' })
  client!: string

  @whole({ says: 'Calls of the last seven days.', example: 1204 })
  calls!: number

  @flag({ says: 'Whether it was told of the end.', example: true })
  told!: boolean
}

/** Something that ends on a day. */
export class EndingItem {
  @text({ says: 'The API.', example: 'hydrant-register' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Hydrant Register' })
  title!: string

  @text({ says: 'The owning team.', example: 'Field' })
  team!: string

  @text({
    says: 'The placement that ends; absent where all of the API does.',
    example: 'supply-interruptions-live-1',
    optional: true,
  })
  placement?: string

  @text({ says: 'The version that ends.', example: '2.3.1', optional: true })
  version?: string

  @text({ says: 'The stage it stands in.', example: 'Live', optional: true })
  stage?: string

  @choice(endings, { says: 'Deprecated, or retired: then it is taken off on its last day.' })
  as!: 'deprecated' | 'retired'

  @text({
    says: 'Since when callers are told; empty where nobody knows.',
    example: '2026-10-02',
  })
  since!: string

  @day({ says: 'Until which day it is served.', example: '2027-03-31' })
  until!: string

  @whole({ says: 'Calls of the last seven days.', example: 1204 })
  calls!: number

  @many(() => EndingCaller, { says: 'Who calls it, the most first.' })
  callers!: EndingCaller[]
}

export class EndingQuery extends PageQuery {
  @text({ says: 'Only of this API.', example: 'hydrant-register', optional: true })
  api?: string

  @text({ says: 'Only of this team.', example: 'Field', optional: true })
  team?: string
}

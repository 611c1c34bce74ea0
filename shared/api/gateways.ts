import { moment, text, texts, whole } from './fields'

export class GatewayItem {
  @text({ says: 'The gateway’s name.', example: 'north-edge' })
  name!: string

  @text({ says: 'The group it belongs to.', example: 'edge' })
  group!: string

  @text({ says: 'What it serves.', example: 'Public and partner traffic' })
  serves!: string

  @text({ says: 'Where traffic goes in.', example: 'http://127.0.0.1:7411' })
  dataUrl!: string

  @moment({ says: 'When it was last read.', optional: true })
  seenAt?: string

  @text({ says: 'Why it could not be read; empty where it could.', example: '' })
  trouble!: string

  @whole({ says: 'Placements on it.', example: 6 })
  placements!: number

  @whole({ says: 'Placements on it that differ.', example: 1 })
  differing!: number

  @whole({ says: 'Routes it runs.', example: 84 })
  routes!: number

  @texts({ says: 'Routes nobody placed.', example: ['GET /old/ping'] })
  unclaimed!: string[]
}

/** A logical gateway: what is placed on it runs on all its members. */
export class GroupItem {
  @text({ says: 'The group’s name.', example: 'edge' })
  name!: string

  @text({ says: 'What it serves.', example: 'Public and partner traffic' })
  serves!: string

  @texts({ says: 'Its gateways.', example: ['north-edge', 'south-edge'] })
  members!: string[]

  @whole({ says: 'Placements on it.', example: 6 })
  placements!: number
}

import { gatewayKindNames, type GatewayKindName } from '../../core/runtime/gateway-kinds'
import { PageQuery } from './catalog'
import { choice, flag, many, moment, text, texts, whole } from './fields'

/** A certificate as it is told of: nothing of its key. */
export class CertificateFacts {
  @text({ says: 'Its file at the gateway, without the ending.', example: 'api' })
  file!: string

  @texts({ says: 'The host names it is for.', example: ['api.brackenmere.example'] })
  names!: string[]

  @text({ says: 'Who issued it.', example: 'Brackenmere Works' })
  issuer!: string

  @moment({ says: 'When it begins.' })
  begins!: string

  @moment({ says: 'When it ends.' })
  ends!: string
}

export class GatewayItem {
  @text({ says: 'The gateway’s name.', example: 'north-edge' })
  name!: string

  @text({ says: 'The group it belongs to.', example: 'edge' })
  group!: string

  @choice(gatewayKindNames, {
    says: 'How it is read and written, and so what it can do.',
    example: 'admin-api',
  })
  kind!: GatewayKindName

  @text({ says: 'What it serves.', example: 'Public and partner traffic' })
  serves!: string

  @text({ says: 'Where traffic goes in.', example: 'http://127.0.0.1:7411' })
  dataUrl!: string

  @text({ says: 'Where it goes in by TLS; empty where that is not spoken.', example: '' })
  tlsUrl!: string

  @text({ says: 'The folder it is fed from; empty for other kinds.', example: '' })
  folder!: string

  @many(() => CertificateFacts, { says: 'Its certificates.' })
  certificates!: CertificateFacts[]

  @texts({ says: 'What is wrong with certificates that are not used.', example: [] })
  certificateTroubles!: string[]

  @texts({
    says: 'What runs there and is not understood: nothing is known of what it does.',
    example: [],
  })
  passedOver!: string[]

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

/** Where a gateway sends requests, and what it found there. */
export class TargetHealth {
  @text({ says: 'The address.', example: 'http://127.0.0.1:7501' })
  url!: string

  @choice(['healthy', 'unhealthy', 'resting'], {
    says: 'Whether requests are sent there; one that rests had too many failures.',
  })
  state!: 'healthy' | 'unhealthy' | 'resting'

  @text({ says: 'What was wrong there last; empty where nothing was.', example: '' })
  says!: string
}

/** How a gateway is at this moment. */
export class GatewayHealth {
  @moment({ says: 'When it was asked.' })
  askedAt!: string

  @flag({ says: 'Whether it answers.', example: true })
  answers!: boolean

  @whole({ says: 'How long it took, in milliseconds.', example: 3 })
  ms!: number

  @text({ says: 'What it said, or why not.', example: '' })
  says!: string

  @many(() => TargetHealth, { says: 'Targets that it watches or has had trouble with.' })
  targets!: TargetHealth[]
}

/** What a cluster runs, as it was printed there. */
export class SnapshotUpload {
  @text({
    says: 'YAML or JSON: resources, lists, several documents.',
    example: 'apiVersion: gateway.networking.k8s.io/v1\nkind: HTTPRoute\n…',
    max: 16 * 1024 * 1024,
  })
  text!: string
}

export class RoutesQuery extends PageQuery {
  @text({ says: 'Words of its address, placement or backend.', example: 'levels', optional: true })
  q?: string
}

/** One route as a gateway ran it when it was read last. */
export class RunningRouteItem {
  @text({ says: 'The method; * for any.', example: 'GET' })
  method!: string

  @text({ says: 'The host.', example: 'api.brackenmere.example' })
  host!: string

  @text({ says: 'The path template outside.', example: '/supply/v2/areas', max: 4000 })
  path!: string

  @text({ says: 'What else it asks, in words; empty where it asks nothing.', example: '' })
  also!: string

  @text({ says: 'Where its requests go.', example: 'main' })
  goesTo!: string

  @text({
    says: 'The placement it belongs to; empty where nobody placed it.',
    example: 'supply-interruptions-live-1',
  })
  placement!: string
}

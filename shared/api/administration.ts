import { gatewayKindNames, type GatewayKindName } from '../../core/runtime/gateway-kinds'
import { audiences, type Audience } from '../words'
import { choice, choices, flag, many, text, texts, whole } from './fields'

const nameRule = {
  pattern: /^[a-z][a-z0-9-]*$/,
  otherwise: 'A name has lower case letters, digits and hyphens',
}

export class SetupStart {
  @text({ says: 'The organisation.', example: 'Brackenmere Water', min: 1, max: 120 })
  organisation!: string

  @text({
    says: 'The administrator’s account.',
    example: 'admin',
    min: 2,
    max: 60,
    pattern: /^[A-Za-z][A-Za-z0-9._-]*$/,
    otherwise: 'A name begins with a letter and has letters, digits, dots and hyphens',
  })
  name!: string

  @text({ says: 'The name shown to others.', example: 'Ada Marsh', min: 1, max: 120 })
  displayName!: string

  @text({
    says: 'The password.',
    example: 'a long new password',
    min: 12,
    max: 200,
    secret: true,
  })
  password!: string
}

export class OrganisationChange {
  @text({ says: 'The organisation.', example: 'Brackenmere Water', min: 1, max: 120 })
  organisation!: string

  @texts({
    says: 'Its teams, in order; one that owns something stays.',
    example: ['Metering', 'Field'],
    max: 500,
    longest: 80,
  })
  teams!: string[]
}

export class StageItem {
  @text({ says: 'The stage’s name.', example: 'Trial', min: 1, max: 40 })
  name!: string

  @choices(['http', 'https'], {
    says: 'Schemes its backends may speak.',
    example: ['https'],
  })
  schemes!: ('http' | 'https')[]

  @texts({
    says: 'Names its backends may have: exact, `*.` before a name, or `*` for any.',
    example: ['*.brackenmere.example'],
    longest: 253,
  })
  backendHosts!: string[]

  @texts({ says: 'Networks of backends given by address.', example: ['10.0.0.0/8'], longest: 60 })
  networks!: string[]
}

export class StageChange extends StageItem {
  @text({
    says: 'What it is called so far, where that was something else; what stands in it stays.',
    example: 'Rehearsal',
    min: 1,
    max: 40,
    optional: true,
  })
  formerly?: string
}

export class StageList {
  @many(() => StageChange, { says: 'The stages, from first to last.', max: 20 })
  stages!: StageChange[]
}

export class StageRename {
  @text({ says: 'What it is called so far.', example: 'Live' })
  from!: string

  @text({ says: 'What it is called from then on.', example: 'Production' })
  to!: string

  @whole({ says: 'Placements that stand in it.', example: 12 })
  placements!: number

  @whole({ says: 'Requests that wait there.', example: 2 })
  requests!: number

  @texts({
    says: 'Pipelines that go through it, of which an edition is published.',
    example: ['Private APIs'],
  })
  pipelines!: string[]
}

export class AstrayPromotion {
  @whole({ says: 'The promotion.', example: 7 })
  promotion!: number

  @text({ says: 'What it promotes.', example: 'Promote Supply Interruptions 2.4.0 into Live' })
  title!: string
}

/** What setting the stages would do. */
export class StagesImpact {
  @many(() => StageRename, { says: 'Stages that are called otherwise.' })
  renamed!: StageRename[]

  @texts({ says: 'Stages that are new.', example: ['Sandbox'] })
  added!: string[]

  @texts({ says: 'Stages that go.', example: [] })
  removed!: string[]

  @text({
    says: 'The stage in which versions are placed from then on; empty where that stays the same.',
    example: '',
  })
  first!: string

  @texts({
    says: 'Pipelines that begin in another stage than that, so that they lead nobody on.',
    example: [],
  })
  beside!: string[]

  @many(() => AstrayPromotion, {
    says: 'Waiting promotions whose pipeline does not lead there any more.',
  })
  astray!: AstrayPromotion[]
}

export class HostChange {
  @text({ says: 'The stage it belongs to.', example: 'Live', min: 1 })
  stage!: string

  @choices(audiences, { says: 'Whom it is for.', example: ['partner', 'public'] })
  audiences!: Audience[]
}

export class HostItem extends HostChange {
  @text({ says: 'The host.', example: 'api.brackenmere.example' })
  name!: string
}

export class GroupChange {
  @text({ says: 'What it serves.', example: 'Public and partner traffic', max: 200 })
  serves!: string

  @choices(audiences, { says: 'Whose APIs it serves.', example: ['partner', 'public'] })
  audiences!: Audience[]
}

export class GatewayChange {
  @text({ says: 'The group it belongs to.', example: 'edge', min: 1, max: 60, ...nameRule })
  group!: string

  @text({ says: 'What it serves.', example: 'The northern site', max: 200 })
  serves!: string

  @choice(gatewayKindNames, {
    says: 'How it is read and written: over its admin API, from files, or by uploads.',
    example: 'admin-api',
    optional: true,
  })
  kind?: GatewayKindName

  @text({
    says: 'Where traffic goes in.',
    example: 'http://127.0.0.1:7411',
    max: 300,
    optional: true,
  })
  dataUrl?: string

  @text({
    says: 'Where it goes in by TLS.',
    example: 'https://127.0.0.1:7431',
    max: 300,
    optional: true,
  })
  tlsUrl?: string

  @text({
    says: 'Its admin API, for a gateway that has one.',
    example: 'http://127.0.0.1:7421',
    max: 300,
    optional: true,
  })
  adminUrl?: string

  @text({
    says: 'The folder or git repository it is fed from, below that of all of them.',
    example: 'plant-cluster',
    max: 200,
    optional: true,
  })
  folder?: string
}

/** What a gateway is configured with, so that it is written and read by this installation alone. */
export class IssuedGatewaySecret {
  @text({
    says: 'The secret of its admin API, for its address as it is.',
    example: 'q1…',
    max: 100,
  })
  secret!: string
}

/** What became of talking to a gateway. */
export class GatewayTest {
  @flag({ says: 'Whether it answers and can be read.', example: true })
  answers!: boolean

  @whole({ says: 'How long it took, in milliseconds.', example: 12 })
  ms!: number

  @text({ says: 'What it said, or why not.', example: '84 routes', max: 2000 })
  says!: string
}

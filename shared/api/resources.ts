import { ApiChange, PageQuery } from './catalog'
import { anything, choice, many, one, text, texts, whole } from './fields'
import { GatewayChange, GroupChange, HostChange, StageList } from './administration'
import { EndingRequest, SpecBody } from './placements'
import { PolicyScopeBody } from './policies'

/** What the ledger holds as files, in the order in which it is applied: later ones refer to earlier ones. */
export const resourceKinds = [
  'Stages',
  'Host',
  'GatewayGroup',
  'Gateway',
  'Rulebook',
  'Pipeline',
  'Api',
  'Policies',
  'Placement',
] as const
export type ResourceKindName = (typeof resourceKinds)[number]

export class RulebookResource {
  @text({ says: 'The text of its newest edition.', example: 'rulebook: 1\n', max: 2_000_000 })
  text!: string
}

export class PipelineResource {
  @text({ says: 'What it is called.', example: 'Private APIs', min: 1, max: 100 })
  title!: string

  @text({ says: 'The text of its newest edition.', example: 'pipeline: 1\n', max: 200_000 })
  text!: string
}

export class VersionFile {
  @text({
    says: 'Its path: below the folder of its version, or in files below the file that names it.',
    example: 'openapi.yaml',
    max: 500,
  })
  name!: string

  @text({
    says: 'The SHA-256 of its bytes, in hexadecimal digits; worked out where files are read.',
    example: '9f86d081884c7d659a2feaa0c55ad015a3bf4f1b2b0b822cd15d6c15b0f00a08',
    pattern: /^[0-9a-f]{64}$/,
    otherwise: 'A digest has 64 hexadecimal digits',
  })
  sha256!: string
}

export class ApiVersion {
  @text({ says: 'The version.', example: '2.4.0', min: 1, max: 200 })
  version!: string

  @many(() => VersionFile, { says: 'The files of its definition, the main one first.', max: 2000 })
  files!: VersionFile[]
}

export class ApiResource extends ApiChange {
  @many(() => ApiVersion, {
    says: 'Versions with their definitions, in the order in which they came; others stay.',
    max: 500,
    optional: true,
  })
  versions?: ApiVersion[]
}

export class PlacementResource {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'The version.', example: '2.4.0', min: 1 })
  version!: string

  @text({ says: 'The stage.', example: 'Live', min: 1 })
  stage!: string

  @text({ says: 'The gateway group.', example: 'edge', min: 1 })
  group!: string

  @one(() => SpecBody, { says: 'How it is served.' })
  serving!: SpecBody

  @one(() => EndingRequest, { says: 'How it ends, where that is announced.', optional: true })
  ending?: EndingRequest
}

/** What each kind says below `spec`. */
export const resourceBodies = {
  Stages: StageList,
  Host: HostChange,
  GatewayGroup: GroupChange,
  Gateway: GatewayChange,
  Rulebook: RulebookResource,
  Pipeline: PipelineResource,
  Api: ApiResource,
  Policies: PolicyScopeBody,
  Placement: PlacementResource,
} as const satisfies Record<ResourceKindName, unknown>

export type BodyOf<K extends ResourceKindName> = InstanceType<(typeof resourceBodies)[K]>

export class ResourceBody {
  @choice(resourceKinds, { says: 'What it is.' })
  kind!: ResourceKindName

  @text({ says: 'What names it among those of its kind.', example: 'edge', min: 1, max: 300 })
  name!: string

  @anything({ says: 'What it says; what is left out stays as it is.', example: { serves: 'All' } })
  spec!: unknown
}

export class ResourceItem extends ResourceBody {
  @anything({ says: 'What is known of it besides.', example: { generation: 3 } })
  status!: unknown
}

export class ResourceQuery extends PageQuery {
  @choice(resourceKinds, { says: 'Only of this kind.', optional: true })
  kind?: ResourceKindName
}

export class ResourcePlanRequest {
  @many(() => ResourceBody, { says: 'What is wanted.', max: 5000 })
  resources!: ResourceBody[]
}

export class ResourceChange {
  @text({ says: 'The value.', example: 'serving.policies.rate.requests', max: 2000 })
  path!: string

  @anything({ says: 'How it stands; absent where it does not.', example: 60 })
  before?: unknown

  @anything({ says: 'How it is wanted; absent where it is not.', example: 120 })
  after?: unknown
}

export class PlannedResource {
  @choice(resourceKinds, { says: 'What it is.' })
  kind!: ResourceKindName

  @text({ says: 'What names it.', example: 'edge' })
  name!: string

  @text({
    says: 'What names it where it stands, if that is something else.',
    example: 'edge-2',
    optional: true,
  })
  standsAs?: string

  @choice(['create', 'change', 'waits', 'refused'], {
    says: 'What is done about it; one that waits has a request that is to be decided first.',
  })
  act!: 'create' | 'change' | 'waits' | 'refused'

  @choice(['at-once', 'review', 'promotion'], {
    says: 'Whether it is done at once, asked for as a change, or as a promotion.',
  })
  how!: 'at-once' | 'review' | 'promotion'

  @text({
    says: 'Why it is refused, or what waits.',
    example: 'Request 12 waits there',
    max: 4000,
  })
  says!: string

  @many(() => ResourceChange, { says: 'What changes.', max: 1000 })
  changes!: ResourceChange[]

  @texts({
    says: 'Versions whose definitions have to be saved first.',
    example: ['4.0.0'],
    max: 500,
  })
  uploads!: string[]

  @text({ says: 'What stood there, for If-Match.', example: '"9f86d081884c7d65"', max: 80 })
  etag!: string
}

export class ResourcePlan {
  @many(() => PlannedResource, { says: 'What would be done, in the order in which it is.' })
  items!: PlannedResource[]

  @whole({ says: 'How many stand as they are wanted.', example: 120 })
  unchanged!: number

  @texts({
    says: 'What stands and is not wanted, by kind and name; it is left alone.',
    example: ['Placement leak-sensors-trial-1'],
    max: 100_000,
  })
  others!: string[]
}

export class ResourceChangeRequest {
  @anything({ says: 'What it says; what is left out stays as it is.', example: { serves: 'All' } })
  spec!: unknown

  @text({
    says: 'What reviewers and the ledger are told.',
    example: 'From the repository',
    min: 5,
    max: 2000,
  })
  note!: string
}

/** What became of a resource that was applied. */
export class AppliedResource {
  @choice(['done', 'waits'], { says: 'Whether it is done, or waits for somebody or a gateway.' })
  state!: 'done' | 'waits'

  @text({ says: 'What was done, or what it waits for.', example: 'Request 12 waits for its gates' })
  says!: string

  @text({ says: 'Where that is seen.', example: '/promotions/12', optional: true })
  page?: string

  @anything({ says: 'What is known of it now.', example: { generation: 4 } })
  status!: unknown
}

export class ResourceRemoval {
  @text({
    says: 'What reviewers and the ledger are told.',
    example: 'Not in the repository any more',
    min: 5,
    max: 2000,
  })
  note!: string
}

import { policyNames, type PolicyName, type PolicySet } from '../../core/runtime/policies'
import { choice, choices, flag, many, moment, policies, text, texts, whole } from './fields'
import { PageQuery } from './catalog'

const scopeId = {
  says: 'The scope: organisation, stage:NAME or group:NAME.',
  example: 'stage:Live',
}

export class PolicyScopeBody {
  @policies({
    says: 'What holds in it, by kind of policy.',
    example: { caching: { visibility: 'no-store', maxAgeSeconds: 0 } },
  })
  policies!: PolicySet

  @choices(policyNames, {
    says: 'Kinds of policy that may only be tightened further in.',
    example: ['caching'],
  })
  binding!: PolicyName[]
}

export class OuterScopeBody extends PolicyScopeBody {
  @choice(['organisation', 'stage', 'group'], { says: 'What sort of scope it is.' })
  kind!: 'organisation' | 'stage' | 'group'

  @text({ says: 'The stage or the gateway group; empty for the organisation.', example: 'Live' })
  name!: string
}

export class PolicyScopeItem extends OuterScopeBody {
  @text(scopeId)
  id!: string

  @whole({ says: 'Counts its states; 0 where it has never said anything.', example: 3 })
  generation!: number

  @whole({ says: 'How many placements stand in it.', example: 12 })
  placements!: number

  @moment({ says: 'When it was last changed.', optional: true })
  changedAt?: string

  @text({ says: 'Who changed it.', example: 'Oskar Lindley', optional: true })
  changedBy?: string

  @whole({ says: 'The change that waits for approval.', example: 4, optional: true })
  waiting?: number
}

export class PolicyImpactItem {
  @text({ says: 'The kind of policy.', example: 'rate' })
  policy!: string

  @text({ says: 'Its title.', example: 'Rate limit' })
  title!: string

  @text({ says: 'What holds before, in words.', example: '120 / minute', max: 20_000 })
  before!: string

  @text({ says: 'What holds after, in words.', example: '60 / minute', max: 20_000 })
  after!: string

  @texts({ says: 'The operations it is so for; all where empty.', example: [], max: 100_000 })
  operations!: string[]
}

export class PlacementImpactItem {
  @text({ says: 'The placement.', example: 'supply-interruptions-live-1' })
  placement!: string

  @text({ says: 'The API.', example: 'supply-interruptions' })
  api!: string

  @text({ says: 'The API’s title.', example: 'Supply Interruptions' })
  title!: string

  @text({ says: 'The version.', example: '2.4.0' })
  version!: string

  @text({ says: 'The stage.', example: 'Live' })
  stage!: string

  @text({ says: 'The gateway group.', example: 'edge' })
  group!: string

  @many(() => PolicyImpactItem, { says: 'What will hold instead of what.' })
  changes!: PolicyImpactItem[]

  @texts({
    says: 'What it says itself, and would not hold any more.',
    example: ['Rate limit of this placement does not hold'],
    max: 5000,
  })
  overruled!: string[]

  @texts({ says: 'Why it could not be.', example: [], max: 5000 })
  faults!: string[]
}

export class PolicyPreview {
  @many(() => PlacementImpactItem, {
    says: 'Placements for which something changes.',
    max: 100_000,
  })
  placements!: PlacementImpactItem[]

  @whole({ says: 'How many stand in the scope and stay as they are.', example: 8 })
  unchanged!: number

  @whole({ says: 'How many change that belong to APIs you may not see.', example: 0 })
  unseen!: number

  @flag({ says: 'Whether somebody else has to approve it.', example: true })
  reviewed!: boolean

  @text({ says: 'Stands for all of this; an approval quotes it.', example: '3f2a…', max: 64 })
  digest!: string
}

export class PolicyChangeRequest extends PolicyScopeBody {
  @text({ ...scopeId, min: 1, max: 100 })
  scope!: string

  @text({ says: 'What reviewers should know.', example: 'Nothing is cached any more', max: 2000 })
  note!: string
}

export class PolicyChangeItem extends OuterScopeBody {
  @whole({ says: 'Its number.', example: 4 })
  id!: number

  @text(scopeId)
  scope!: string

  @choice(['waiting', 'under-way', 'done', 'withdrawn'], { says: 'How far it has come.' })
  state!: 'waiting' | 'under-way' | 'done' | 'withdrawn'

  @text({ says: 'What reviewers should know.', example: 'Nothing is cached any more', max: 2000 })
  note!: string

  @text({ says: 'Who asked for it.', example: 'Oskar Lindley' })
  requestedBy!: string

  @moment({ says: 'When.' })
  requestedAt!: string

  @text({ says: 'Who approved it.', example: 'Ruth Amadi', optional: true })
  approvedBy?: string

  @moment({ says: 'When it was approved.', optional: true })
  approvedAt?: string
}

export class PolicyChangeQuery extends PageQuery {
  @choice(['waiting', 'under-way', 'done', 'withdrawn'], {
    says: 'Only those that have come so far.',
    optional: true,
  })
  state?: 'waiting' | 'under-way' | 'done' | 'withdrawn'
}

export class PolicyApproval {
  @text({ says: 'The digest of the preview that was read.', example: '3f2a…', min: 1, max: 64 })
  digest!: string
}

import { releaseStates, type ReleaseState } from '../words'
import { PageQuery } from './catalog'
import { choice, day, many, moment, text, whole } from './fields'
import { PlanRead, PromotionDetail } from './promotions'

export class ReleaseVersion {
  @text({ says: 'The API.', example: 'supply-interruptions', min: 1 })
  api!: string

  @text({ says: 'Its version.', example: '2.4.0', min: 1 })
  version!: string
}

/** Versions that are to enter the next stage together. */
export class ReleaseRequest {
  @text({ says: 'What it is called.', example: 'Spring billing', min: 1, max: 100 })
  title!: string

  @text({ says: 'What it is for.', example: 'Everything the new bills need', max: 2000 })
  note!: string

  @text({ says: 'The stage in which all of them stand.', example: 'Rehearsal', min: 1 })
  from!: string

  @many(() => ReleaseVersion, {
    says: 'The versions, of each API one at most. A request that waits already is taken in; others are made.',
    max: 50,
  })
  versions!: ReleaseVersion[]

  @day({ says: 'By when it is needed.', example: '2027-03-31', optional: true })
  neededBy?: string
}

export class ReleaseItem {
  @whole({ says: 'Its number.', example: 3 })
  release!: number

  @text({ says: 'What it is called.', example: 'Spring billing' })
  title!: string

  @text({ says: 'What it is for.', example: 'Everything the new bills need', max: 2000 })
  note!: string

  @text({ says: 'The stage in which its versions stand.', example: 'Rehearsal' })
  from!: string

  @text({ says: 'The stage that they enter.', example: 'Live' })
  to!: string

  @choice(releaseStates, { says: 'How it stands.' })
  state!: ReleaseState

  @text({ says: 'Who put it together.', example: 'Imara Holt' })
  by!: string

  @moment({ says: 'When.' })
  at!: string

  @whole({ says: 'Versions in it.', example: 4 })
  versions!: number

  @whole({ says: 'Those with every gate open.', example: 3 })
  open!: number
}

export class ReleaseDetail extends ReleaseItem {
  @many(() => PromotionDetail, { says: 'Its requests, with their gates and plans.' })
  promotions!: PromotionDetail[]

  @text({
    says: 'What an approval of all of them is given to; absent once they do not wait any more.',
    example: '9f86d081884c7d65',
    optional: true,
  })
  digest?: string

  @whole({ says: 'The rollout that carries it out, or did last.', example: 41, optional: true })
  rollout?: number
}

export class ReleaseApproval extends PlanRead {
  @text({ says: 'With which words.', example: 'Read, all of it', max: 2000 })
  note!: string
}

export class ReleaseQuery extends PageQuery {
  @choice(releaseStates, { says: 'Only in this state.', optional: true })
  state?: ReleaseState
}

import { choice, many, moment, text, texts, whole } from './fields'
import { PageQuery } from './catalog'

const rolloutStates = ['running', 'going-back', 'done', 'rolled-back'] as const
const stepStates = [
  'waiting',
  'writing',
  'written',
  'unknown',
  'confirmed',
  'refused',
  'undone',
  'untouched',
] as const

export class RolloutStepItem {
  @text({ says: 'The gateway.', example: 'north-edge' })
  gateway!: string

  @choice([...stepStates], { says: 'What is known of its part.' })
  state!: (typeof stepStates)[number]

  @text({ says: 'Why, where that needs words.', example: '', max: 4000 })
  detail!: string

  @moment({ says: 'Since when.' })
  at!: string

  @whole({
    says: 'In a hundred callers, so many get what is new; absent where all do.',
    example: 10,
    optional: true,
  })
  share?: number
}

/** The carrying out of a change on the gateways it touches. */
export class RolloutItem {
  @whole({ says: 'Its number.', example: 41 })
  id!: number

  @text({ says: 'What is carried out.', example: 'Place Supply Interruptions 2.4.0 in Trial' })
  title!: string

  @choice([...rolloutStates], { says: 'How it stands.' })
  state!: (typeof rolloutStates)[number]

  @text({ says: 'Who wanted it.', example: 'Tomas Verrall' })
  by!: string

  @moment({ says: 'Since when.' })
  at!: string

  @moment({ says: 'When it ended.', optional: true })
  endedAt?: string

  @texts({ says: 'The placements it is about.', example: ['supply-interruptions-trial-1'] })
  placements!: string[]

  @whole({ says: 'The request it carries out.', example: 7, optional: true })
  promotion?: number

  @whole({ says: 'The release it carries out.', example: 3, optional: true })
  release?: number

  @text({ says: 'Why it goes back, or went; empty otherwise.', example: '', max: 4000 })
  trouble!: string

  @text({
    says: 'Why it waits before its next gateway or its end; empty where it does not.',
    example: 'north-edge: 0 errors in 120 calls; watched for 7 more minutes',
    max: 1000,
  })
  held!: string

  @text({
    says: 'Who has it stop where it is; absent where nobody does.',
    example: 'Oskar Lindley',
    optional: true,
  })
  pausedBy?: string

  @many(() => RolloutStepItem, { says: 'The part of each gateway, in order.' })
  steps!: RolloutStepItem[]
}

export class RolloutQuery extends PageQuery {
  @choice([...rolloutStates], { says: 'Only in this state.', optional: true })
  state?: (typeof rolloutStates)[number]
}

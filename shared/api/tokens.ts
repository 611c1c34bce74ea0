import { choices, moment, text, whole } from './fields'

/** What a token may do: read, check texts against the rulebook, upload what gateways run, or everything its person may. */
export const tokenScopes = ['read', 'check', 'upload', 'write'] as const
export type TokenScope = (typeof tokenScopes)[number]

export class NewToken {
  @text({ says: 'What it is for.', example: 'Build of the metering services', min: 3, max: 80 })
  name!: string

  @choices(tokenScopes, { says: 'What it may do.', example: ['read', 'check'] })
  scopes!: TokenScope[]

  @text({
    says: 'The last day it works, at most a year ahead.',
    example: '2027-03-31',
    min: 10,
    max: 10,
  })
  until!: string
}

export class TokenItem {
  @whole({ says: 'Its number.', example: 4 })
  token!: number

  @text({ says: 'What it is for.', example: 'Build of the metering services' })
  name!: string

  @text({ says: 'How it begins, to tell it from others.', example: 'elt_q3Zt' })
  begins!: string

  @choices(tokenScopes, { says: 'What it may do.', example: ['read', 'check'] })
  scopes!: TokenScope[]

  @text({ says: 'The last day it works.', example: '2027-03-31' })
  until!: string

  @moment({ says: 'When it was made.' })
  madeAt!: string

  @moment({ says: 'When it was last used; absent while it never was.', optional: true })
  usedAt?: string
}

/** The only time the token itself is said. */
export class IssuedToken extends TokenItem {
  @text({ says: 'The token; it is not kept and cannot be shown again.', example: 'elt_q3ZtW1…' })
  secret!: string
}

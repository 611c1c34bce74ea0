import { roles, type Role } from '../words'
import { choice, flag, many, one, text, whole } from './fields'

/** For how many days what is not evidence is kept. The ledger, revisions, requests and rollouts are never removed. */
export class Retention {
  @whole({ says: 'What gateways said they ran; the newest stays.', example: 30, min: 1, max: 3650 })
  snapshots!: number

  @whole({ says: 'Texts that were checked and their reports.', example: 30, min: 1, max: 3650 })
  checks!: number

  @whole({ says: 'Texts and batches brought in.', example: 30, min: 1, max: 3650 })
  intakes!: number

  @whole({ says: 'What rulebooks would have changed.', example: 30, min: 1, max: 3650 })
  impacts!: number

  @whole({
    says: 'Single requests; their counts are kept for longer.',
    example: 14,
    min: 1,
    max: 90,
  })
  requests!: number

  @whole({
    says: 'How many in a hundred of the requests that went well are kept; all others always are.',
    example: 10,
    max: 100,
  })
  requestPercent!: number
}

export class PublicAddress {
  @text({
    says: 'Where people reach the product; empty for wherever they come from.',
    example: 'https://ledger.brackenmere.example',
    max: 300,
    pattern: /^(https?:\/\/[a-z0-9.-]+(:\d{1,5})?)?$/,
    otherwise:
      'An address is a scheme and a host, with a port where it is another: https://ledger.example',
  })
  publicAddress!: string
}

/** What the members of a group at the issuer may do here. */
export class GroupRole {
  @text({ says: 'The group as the issuer names it.', example: 'api-governance', min: 1, max: 200 })
  group!: string

  @choice(roles, { says: 'What its members may do.' })
  role!: Role

  @text({ says: 'The team that owners among them speak for.', example: 'Metering', optional: true })
  team?: string
}

/** Single sign-on by OpenID Connect. */
export class SignOn {
  @text({
    says: 'The issuer, from which its configuration is discovered.',
    example: 'https://login.brackenmere.example',
    min: 8,
    max: 300,
  })
  issuer!: string

  @text({ says: 'The client as the issuer knows it.', example: 'elm-ledger', min: 1, max: 200 })
  clientId!: string

  @text({
    says: 'The claim with the groups of a person.',
    example: 'groups',
    min: 1,
    max: 100,
  })
  groupsClaim!: string

  @many(() => GroupRole, {
    says: 'Groups and what they may do; the first that fits counts, and who is in none does not come in.',
    max: 200,
  })
  groups!: GroupRole[]
}

/** As it is kept: with the client's secret, sealed. */
export interface KeptSignOn extends SignOn {
  sealedSecret: string
}

export class SignOnChange extends SignOn {
  @text({
    says: 'The client’s secret; the one that is kept stays where none is given.',
    example: 'a secret from the issuer',
    min: 1,
    max: 500,
    secret: true,
    optional: true,
  })
  clientSecret?: string
}

/** Who may come in by what. */
export class SignInChange {
  @one(() => SignOnChange, { says: 'Single sign-on; none where it is left out.', optional: true })
  signOn?: SignOnChange

  @flag({ says: 'Whether a name and a password let people in.', example: true })
  localAccounts!: boolean
}

export class SignOnTest {
  @flag({ says: 'Whether the issuer can be used.', example: true })
  answers!: boolean

  @text({ says: 'What it said, or why not.', example: 'Tokens are signed with RS256', max: 2000 })
  says!: string
}

export class SettingsItem extends PublicAddress {
  @one(() => Retention, { says: 'For how many days what is not evidence is kept.' })
  retention!: Retention

  @one(() => SignOn, { says: 'Single sign-on, where there is one.', optional: true })
  signOn?: SignOn

  @flag({ says: 'Whether a name and a password let people in.', example: true })
  localAccounts!: boolean

  @text({
    says: 'Where the issuer sends people back to; it has to be registered there.',
    example: 'https://ledger.brackenmere.example/sign-on/return',
  })
  returnAddress!: string
}

/** What lets people in, for the page where they do. */
export interface SignInWays {
  /** Whether a name and a password do. */
  localAccounts: boolean
  /** Whether there is single sign-on. */
  signOn: boolean
}

import { roles, type Role } from '../words'
import { choice, flag, moment, text, whole } from './fields'

export class Credentials {
  @text({ says: 'The account’s name.', example: 'imara', min: 1, max: 60 })
  name!: string

  @text({ says: 'The password.', example: 'a long password', min: 1, max: 200 })
  password!: string
}

export class Person {
  @text({ says: 'The account’s name.', example: 'imara' })
  name!: string

  @text({ says: 'The name shown to others.', example: 'Imara Holt' })
  displayName!: string

  @choice(roles, { says: 'What the person may do.' })
  role!: Role

  @text({ says: 'The team an owner speaks for.', example: 'Metering', optional: true })
  team?: string
}

/** A person as an administrator sees them. */
export class MemberItem extends Person {
  @choice(['active', 'invited', 'expected', 'ended'], {
    says: 'Whether they may sign in; one who is expected comes in by single sign-on next.',
  })
  state!: 'active' | 'invited' | 'expected' | 'ended'

  @flag({ says: 'Whether they come in by single sign-on.' })
  signOn!: boolean

  @whole({ says: 'Sessions that are open.', example: 1 })
  sessions!: number

  @moment({ says: 'Since when they may not sign in.', optional: true })
  endedAt?: string
}

export class PersonStart {
  @text({
    says: 'The account’s name.',
    example: 'imara',
    min: 2,
    max: 60,
    pattern: /^[A-Za-z][A-Za-z0-9._-]*$/,
    otherwise: 'A name begins with a letter and has letters, digits, dots and hyphens',
  })
  name!: string

  @text({ says: 'The name shown to others.', example: 'Imara Holt', min: 1, max: 120 })
  displayName!: string

  @choice(roles, { says: 'What the person may do.' })
  role!: Role

  @text({ says: 'The team an owner speaks for.', example: 'Metering', optional: true })
  team?: string

  @flag({ says: 'Whether they come in by single sign-on, without a link.', optional: true })
  signOn?: boolean
}

export class PersonChange {
  @text({
    says: 'The name shown to others.',
    example: 'Imara Holt',
    min: 1,
    max: 120,
    optional: true,
  })
  displayName?: string

  @choice(roles, { says: 'What the person may do.', optional: true })
  role?: Role

  @text({ says: 'The team an owner speaks for.', example: 'Metering', optional: true })
  team?: string

  @flag({ says: 'Whether access has ended.', optional: true })
  ended?: boolean

  @flag({
    says: 'Whether the next single sign-on with their name makes the account theirs; their password stops working.',
    optional: true,
  })
  signOn?: boolean
}

export class Invitation {
  @text({ says: 'Whom it is for.', example: 'imara' })
  name!: string

  @text({
    says: 'The page it leads to, shown this once; none for somebody who comes in by single sign-on.',
    example: '/welcome?code=2YQ8bVZ1p6mT',
    optional: true,
  })
  path?: string

  @moment({ says: 'Until when it works.', optional: true })
  until?: string
}

const newPassword = {
  says: 'The new password, of 12 characters or more.',
  example: 'a long new password',
  min: 12,
  max: 200,
  secret: true,
}

export class PasswordChoice {
  @text(newPassword)
  password!: string
}

export class InvitationTaken {
  @text({ says: 'The account’s name, to sign in with.', example: 'imara' })
  name!: string
}

export class NewPassword {
  @text({
    says: 'The password so far.',
    example: 'a long password',
    min: 1,
    max: 200,
    secret: true,
  })
  current!: string

  @text(newPassword)
  password!: string
}

export class SessionItem {
  @text({ says: 'Its identifier.', example: '0b9c2b1e-6c1f-4d0a-9a52-6f4f3f1f6c11' })
  id!: string

  @moment({ says: 'When it was begun.' })
  startedAt!: string

  @moment({ says: 'When it ends.' })
  expiresAt!: string

  @text({ says: 'The address it was begun from.', example: '10.0.4.17' })
  address!: string

  @text({ says: 'What the browser calls itself.', example: 'Mozilla/5.0' })
  agent!: string

  @flag({ says: 'Whether it is the one that asks.', example: true })
  current!: boolean
}

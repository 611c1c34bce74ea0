import { roles, type Role } from '../words'
import { choice, text } from './fields'

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

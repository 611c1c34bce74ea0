import { anything, flag, many, text, texts } from './fields'

/** A person by name, as lists of people show them. */
export class NamedPerson {
  @text({ says: 'The name to sign in with.', example: 'tomas' })
  name!: string

  @text({ says: 'The name to be called by.', example: 'Tomas Verrall' })
  displayName!: string
}

export class Shell {
  @text({ says: 'The organisation.', example: 'Brackenmere Water' })
  organisation!: string

  @anything({
    says: 'Numbers for the tabs.',
    example: { apis: 7, findings: 12, drift: 1, promotions: 1, rules: 22, gateways: 3 },
  })
  counts!: Record<string, number>

  @texts({ says: 'The stages, in order.', example: ['Trial', 'Rehearsal', 'Live'] })
  stages!: string[]

  @texts({ says: 'The teams.', example: ['Metering'] })
  teams!: string[]

  @many(() => NamedPerson, { says: 'The people.' })
  people!: NamedPerson[]

  @text({
    says: 'In a demo, an address to bring a definition in from.',
    example: 'http://127.0.0.1:4312/definitions/leak-sensors.yaml',
    optional: true,
  })
  tryAddress?: string

  @flag({ says: 'Whether this is a demo, with its hand-edit button.' })
  demo!: boolean
}

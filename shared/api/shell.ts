import { anything, flag, text, texts } from './fields'

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

  @text({
    says: 'In a demo, an address to bring a definition in from.',
    example: 'http://127.0.0.1:4312/definitions/leak-sensors.yaml',
    optional: true,
  })
  tryAddress?: string

  @flag({ says: 'Whether this is a demo, with its hand-edit button.' })
  demo!: boolean
}

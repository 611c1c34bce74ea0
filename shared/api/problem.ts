import { many, text, whole } from './fields'

/** A problem with one field or one place of a text. */
export class Fault {
  @text({ says: 'The field, or the file.', example: 'host' })
  field!: string

  @text({
    says: 'What is wrong and what to do.',
    example: 'Write the host without scheme or path',
    max: 2000,
  })
  message!: string

  @whole({ says: 'The line in the file, from 1.', example: 12, optional: true })
  line?: number

  @whole({ says: 'The column in the line, from 1.', example: 5, optional: true })
  column?: number
}

/** Problem details (RFC 9457). */
export class Problem {
  @text({
    says: 'Names the kind of problem: the address of the page that explains it.',
    example: '/problems/role-refused',
  })
  type!: string

  @text({ says: 'The problem in a few words.', example: 'Not allowed' })
  title!: string

  @whole({ says: 'The HTTP status code.', example: 403 })
  status!: number

  @text({
    says: 'What happened here and what to do.',
    example: 'Placing takes the role operator.',
    max: 2000,
    optional: true,
  })
  detail?: string

  @many(() => Fault, { says: 'The fields or places at fault.', optional: true })
  faults?: Fault[]
}

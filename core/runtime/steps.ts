/** The steps a request takes through a gateway, in order. A policy belongs to one of them. */
export const steps = {
  listen: {
    title: 'Listen',
    says: 'The request arrives: is it one, and for a host that is served here?',
  },
  match: { title: 'Match', says: 'Which route takes it, by method and path.' },
  authenticate: { title: 'Authenticate', says: 'Who sends it, by which credential.' },
  authorise: {
    title: 'Authorise',
    says: 'Whether this client may do this, from there, at this time.',
  },
  limit: { title: 'Limit', says: 'Whether there have been too many.' },
  validate: {
    title: 'Validate',
    says: 'Whether it is small enough, and what the definition says.',
  },
  transform: {
    title: 'Transform',
    says: 'What becomes of path, parameters and headers on the way in.',
  },
  forward: {
    title: 'Forward',
    says: 'Where it is sent, how long that may take, and what is tried again.',
  },
  respond: { title: 'Respond', says: 'What is added to the response, and what errors look like.' },
  log: { title: 'Log', says: 'What is kept of it.' },
} as const satisfies Record<string, { title: string; says: string }>

export type StepName = keyof typeof steps

export const stepNames = Object.keys(steps) as StepName[]

/** Every kind of problem the API answers with (RFC 9457, `type`): programs tell errors apart by it, not by words. */
export const problemTypes = {
  'bad-request': {
    title: 'Bad request',
    says: 'The request cannot be read: its body, its query, or how it was sent.',
  },
  'not-signed-in': {
    title: 'Not signed in',
    says: 'There is no session or token, or it has ended.',
  },
  'not-set-up': {
    title: 'Not set up yet',
    says: 'There is nobody yet: the code on the terminal makes the first administrator.',
  },
  'wrong-code': {
    title: 'The code is wrong',
    says: 'This is not the code that makes the first administrator.',
  },
  'token-refused': { title: 'The token may not do this', says: 'The token was not made for this.' },
  'role-refused': {
    title: 'Your role may not do this',
    says: 'The detail says which role may do it.',
  },
  'somebody-else': {
    title: 'Somebody else decides',
    says: 'Nobody decides about what they asked for themselves.',
  },
  'other-site': { title: 'From another site', says: 'A page of another site sent this.' },
  'not-found': { title: 'Not found', says: 'There is nothing at this address or with this name.' },
  'method-not-allowed': {
    title: 'Method not allowed',
    says: 'The address takes other methods; `Allow` names them.',
  },
  'not-possible-now': {
    title: 'Not possible now',
    says: 'The state does not allow this; the detail says why.',
  },
  'done-already': {
    title: 'Done already',
    says: 'A request with this `Idempotency-Key` was carried out, and its response is not kept.',
  },
  'called-back': { title: 'Called back', says: 'Somebody cancelled the rollout.' },
  'changed-in-between': {
    title: 'Changed in between',
    says: 'Somebody else saved first; `ETag` names the state that stands.',
  },
  'if-match-missing': {
    title: 'If-Match is missing',
    says: 'The state that is changed has to be named in `If-Match`.',
  },
  'not-accepted': {
    title: 'Not accepted',
    says: 'A field, or a place in the text, is at fault; each is named in `faults`.',
  },
  'not-readable': {
    title: 'Not a readable definition',
    says: 'The text is no definition that can be read.',
  },
  'not-converted': { title: 'Not converted', says: 'The definition cannot be written so.' },
  'not-unpacked': { title: 'Not unpacked', says: 'The archive cannot be unpacked.' },
  'nothing-found': { title: 'Nothing found', says: 'The archive holds no definition.' },
  'repository-unread': {
    title: 'The repository cannot be read',
    says: 'The repository did not answer, asks for a token, or sent more than is taken.',
  },
  'address-refused': {
    title: 'The address cannot be used',
    says: 'The address leads nowhere, or to where nothing is fetched from.',
  },
  'too-large': { title: 'Too large', says: 'The text or archive is larger than what is read.' },
  'too-many-files': { title: 'Too many files', says: 'A definition has more files than are read.' },
  'too-much-work': {
    title: 'Too much work',
    says: 'Reading takes more time or memory than is given to one text.',
  },
  'not-worked-on': {
    title: 'The text could not be worked on',
    says: 'The process that worked on the text ended.',
  },
  'too-many-tries': {
    title: 'Too many tries',
    says: '`Retry-After` says when to come back.',
  },
  'gateway-away': {
    title: 'The gateway does not answer',
    says: 'A gateway cannot be reached or does not answer as it should.',
  },
  'gateway-unreadable': {
    title: 'The gateway is not readable',
    says: 'What a gateway runs is no configuration that can be read.',
  },
  'gateway-refused': {
    title: 'The gateway refused the configuration',
    says: 'What ran before runs on.',
  },
  'gateway-unconfirmed': {
    title: 'The gateway did not confirm',
    says: 'A gateway took a configuration and does not run it as written; it was put back.',
  },
  busy: {
    title: 'The store does not answer',
    says: 'The database is away or busy; `Retry-After` says when to try again.',
  },
  failed: { title: 'Something failed', says: 'This was not foreseen; it has been logged.' },
} as const

export type ProblemType = keyof typeof problemTypes
export type ProblemTitle = (typeof problemTypes)[ProblemType]['title']

const byTitle = new Map<string, ProblemType>(
  (Object.keys(problemTypes) as ProblemType[]).map((type) => [problemTypes[type].title, type]),
)

/** The `type` member for a title, as a reference to the page that explains it. */
export const typeOf = (title: ProblemTitle): string => `/problems/${byTitle.get(title)!}`

import type { Body, Header, MediaType, Operation, Response } from '../contract/model'
import { isSame } from '../text/values'
import type { Witness } from './model'
import type { Way } from './pairs'
import { paired, safe, type Here, type Teller } from './teller'

/** What became of what an operation takes in its body. */
export function compareBodies(teller: Teller, here: Here, old: Operation, now: Operation): void {
  const [was, is] = [old.body, now.body]
  if (!was && !is) return
  if (!was || !is) {
    const part = { part: 'body' as const, before: (was ?? old).at, after: (is ?? now).at }
    if (is)
      teller.message(
        here,
        'request',
        { ...part, kind: 'added', is: is.required },
        { narrows: is.required, widens: true },
        () => teller.requestOf(here, old),
      )
    else
      teller.tell(here, {
        ...part,
        effect: 'risky',
        direction: 'request',
        kind: 'removed',
        undecided: 'what is sent in it has no meaning any more',
      })
    return
  }
  const place = { part: 'body' as const, before: was.at, after: is.at }
  if (was.required !== is.required)
    teller.message(
      here,
      'request',
      { ...place, kind: 'changed', keyword: 'required', was: was.required, is: is.required },
      { narrows: is.required, widens: was.required },
      () => teller.requestOf(here, { ...old, body: undefined }),
    )
  teller.said(here, place, 'description', was.description, is.description)
  compareContent(teller, here, 'request', 'request body', was, is, {
    value: (value) => ({ request: { ...teller.requestOf(here, old).request, body: value } }),
    media: (media) => teller.requestOf(here, { ...old, body: { ...was, content: [media] } }),
  })
}

/** What became of what an operation gives. */
const isSuccess = ({ status }: Response) => /^2\d\d$/.test(status)

/** Responses of success that stand in the place of another one which is not described any more: `202` for `201`. */
function replacedStatuses(old: Operation, now: Operation): Map<Response, Response> {
  const has = (all: Response[], status: string) => all.some((one) => one.status === status)
  const stillCovered = has(now.responses, '2XX') || has(now.responses, 'default')
  const gone = old.responses.filter((one) => isSuccess(one) && !has(now.responses, one.status))
  const come = now.responses.filter(
    (one) => isSuccess(one) && !has(old.responses, one.status) && !has(old.responses, '2XX'),
  )
  if (stillCovered) return new Map()
  return new Map(
    come.flatMap((one, n): [Response, Response][] => (gone[n] ? [[one, gone[n]]] : [])),
  )
}

export function compareResponses(teller: Teller, here: Here, old: Operation, now: Operation): void {
  const replaced = replacedStatuses(old, now)
  const taken = new Set(replaced.values())
  for (const { old: was, now: is } of paired(
    old.responses,
    now.responses,
    ({ status }) => status,
  )) {
    if (was && taken.has(was)) continue
    const former = is && replaced.get(is)
    if (former) {
      const told = { kind: 'changed' as const, part: 'response' as const, keyword: 'status' }
      teller.message(
        here,
        'response',
        {
          ...told,
          name: is.status,
          was: former.status,
          is: is.status,
          before: former.at,
          after: is.at,
        },
        { widens: true },
        () => ({ response: { status: is.status } }),
      )
      compareResponse(teller, here, former, is)
      continue
    }
    const place = {
      part: 'response' as const,
      name: (is ?? was).status,
      before: (was ?? old).at,
      after: (is ?? now).at,
    }
    if (!was)
      teller.tell(here, {
        ...place,
        effect: 'risky',
        direction: 'response',
        kind: 'added',
        undecided: 'whether clients know what to do with it is not known here',
      })
    else if (!is)
      teller.tell(here, { ...place, effect: 'safe', direction: 'response', kind: 'removed' })
    else compareResponse(teller, here, was, is)
  }
}

function compareResponse(teller: Teller, here: Here, was: Response, is: Response): void {
  const { status } = is
  const place = { part: 'response' as const, name: status, before: was.at, after: is.at }
  for (const keyword of ['description', 'summary'] as const)
    teller.said(here, place, keyword, was[keyword], is[keyword])
  for (const { old, now } of paired(was.links, is.links, ({ name }) => name)) {
    const link = {
      part: 'link' as const,
      name: `${status} ${(now ?? old).name}`,
      before: (old ?? was).at,
      after: (now ?? is).at,
    }
    if (!old) teller.tell(here, { ...link, ...safe, kind: 'added' })
    else if (!now)
      teller.tell(here, {
        ...link,
        effect: 'risky',
        direction: 'response',
        kind: 'removed',
        undecided: 'whether clients follow it is not known here',
      })
    else
      for (const keyword of [
        'operationId',
        'operationRef',
        'parameters',
        'requestBody',
        'description',
      ] as const)
        teller.said(here, link, keyword, old[keyword], now[keyword])
  }
  for (const { old, now } of paired(was.headers, is.headers, ({ name }) => name.toLowerCase())) {
    const header = {
      part: 'header' as const,
      name: `${status} ${(now ?? old).name}`,
      before: (old ?? was).at,
      after: (now ?? is).at,
    }
    const without = (): Witness => ({ response: { status, headers: {} } })
    if (!old)
      teller.message(
        here,
        'response',
        { ...header, kind: 'added', is: now.required },
        { narrows: now.required },
        without,
      )
    else if (!now && !old.required)
      teller.tell(here, {
        ...header,
        effect: 'risky',
        direction: 'response',
        kind: 'removed',
        undecided: 'whether clients read it is not known here',
      })
    else if (!now)
      teller.message(here, 'response', { ...header, kind: 'removed' }, { widens: true }, without)
    else compareHeader(teller, here, header, status, old, now)
  }
  const responseOf = (body: unknown): Witness => ({ response: { status, body } })
  compareContent(teller, here, 'response', `response ${status}`, was, is, {
    value: responseOf,
    media: (media) => responseOf(teller.sample(media.schema, teller.after)),
  })
}

function compareHeader(
  teller: Teller,
  here: Here,
  place: { part: 'header'; name: string; before: string; after: string },
  status: string,
  old: Header,
  now: Header,
): void {
  if (old.required !== now.required)
    teller.message(
      here,
      'response',
      { ...place, kind: 'changed', keyword: 'required', was: old.required, is: now.required },
      { narrows: now.required, widens: old.required },
      () => ({ response: { status, headers: {} } }),
    )
  for (const keyword of ['description', 'deprecated'] as const)
    teller.said(here, place, keyword, old[keyword], now[keyword])
  teller.values(here, 'response', { ...place, was: old.schema, is: now.schema }, (value) => ({
    response: { status, headers: { [now.name]: value } },
  }))
}

const typeOf = ({ type }: MediaType) => type.toLowerCase().replace(/\s*;.*$/, '')

/** Whether a media type or range takes another one. */
const covers = (range: string, type: string) =>
  range === type || range === '*/*' || (range.endsWith('/*') && type.startsWith(range.slice(0, -1)))

const bare = ({ at: _, ...encoding }: MediaType['encoding'][number]) => encoding

/** Media types and what is in them; a range takes what is in it. */
function compareContent(
  teller: Teller,
  here: Here,
  way: Way,
  name: string,
  was: Body | Response,
  is: Body | Response,
  witness: { value: (value: unknown) => Witness; media: (media: MediaType) => Witness },
): void {
  // What is the same in several media types is said once.
  const seen = new Set<object>()
  const isCovered = (media: MediaType, list: MediaType[]) =>
    list.some((other) => covers(typeOf(other), typeOf(media)))
  for (const { old, now } of paired(was.content, is.content, typeOf)) {
    const place = {
      part: 'media type' as const,
      name: `${name} ${(now ?? old).type}`,
      before: (old ?? was).at,
      after: (now ?? is).at,
    }
    if (!old)
      teller.message(
        here,
        way,
        { ...place, kind: 'added' },
        { widens: was.content.length > 0 && !isCovered(now, was.content) },
        () => witness.media(now),
      )
    else if (!now)
      teller.message(
        here,
        way,
        { ...place, kind: 'removed' },
        { narrows: !isCovered(old, is.content) },
        () => witness.media(old),
      )
    else {
      teller.values(
        here,
        way,
        {
          part: 'value',
          name,
          was: old.schema ?? old.itemSchema,
          is: now.schema ?? now.itemSchema,
          before: old.at,
          after: now.at,
        },
        witness.value,
        seen,
      )
      teller.said(here, place, 'examples', old.examples, now.examples)
      if (!isSame(old.encoding.map(bare), now.encoding.map(bare)))
        teller.tell(here, {
          ...place,
          effect: 'risky',
          direction: way,
          kind: 'changed',
          keyword: 'encoding',
          undecided: 'parts may be written in another way',
        })
    }
  }
}

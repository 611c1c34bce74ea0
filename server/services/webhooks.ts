import { createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import type { Services } from './context'
import { Failure } from './failure'
import { isSecret, unseal } from './sealing'

/** A secret that webhooks are signed with (Standard Webhooks 1.0). */
export const newWebhookSecret = () => `whsec_${randomBytes(24).toString('base64')}`

/** Stands in where there is no such receiver, so that it takes as long to say no. */
export const nobodysSecret = newWebhookSecret()

/** The signature of a message: of its identifier, the time in seconds and the body. */
export function signatureOf(secret: string, id: string, time: string, body: string | Buffer) {
  const key = Buffer.from(secret.replace(/^whsec_/, ''), 'base64')
  return createHmac('sha256', key).update(`${id}.${time}.`).update(body).digest('base64')
}

/** How far the clocks of two hosts may be apart, in milliseconds. */
const apartMs = 5 * 60_000

/** What a message says of itself, in `webhook-id`, `webhook-timestamp` and `webhook-signature`. */
export interface SignedBy {
  id: string
  /** In seconds since 1970. */
  time: string
  /** One or more, separated by spaces: while a secret is changed there are two. */
  signatures: string
}

/** The value of a header of a message; empty where it has none. */
export type HeaderOf = (name: string) => string

/** What a message says of itself (Standard Webhooks 1.0). */
export function signatureIn(header: HeaderOf): SignedBy {
  const [id, time, signatures] = [
    header('webhook-id'),
    header('webhook-timestamp'),
    header('webhook-signature'),
  ]
  if (/^[\w.:-]{1,200}$/.test(id) && /^\d{1,12}$/.test(time) && signatures.length <= 2000)
    return { id, time, signatures }
  throw new Failure(
    401,
    'Not signed in',
    'Sign the message: webhook-id, webhook-timestamp and webhook-signature (Standard Webhooks).',
  )
}

/** How hosts sign in ways of their own: an HMAC of the body in a header, or the secret itself. */
export interface OwnWay {
  kind: 'hmac-sha256' | 'token'
  header: string
}

/** Whether a message is signed in a host's own way, in a time that tells nothing of the secret. */
export function isSignedSo(
  { kind, header }: OwnWay,
  secret: string,
  headerOf: HeaderOf,
  body: Buffer,
): boolean {
  const wanted =
    kind === 'token' ? secret : `sha256=${createHmac('sha256', secret).update(body).digest('hex')}`
  return isSecret(headerOf(header).slice(0, 500), wanted)
}

/**
 * The receiver that a message is signed for. Where there is none, or it is signed with another secret, it is refused in the same
 * words and after the same work.
 */
export function signedFor<R extends { sealedSecret: string }>(
  { secret, now }: Pick<Services, 'secret' | 'now'>,
  receiver: R | undefined,
  signed: SignedBy,
  body: Buffer,
): R {
  const own = receiver ? unseal(secret, receiver.sealedSecret) : nobodysSecret
  const why = whyUnsigned(own, signed, body, now())
  if (why === undefined && receiver) return receiver
  throw new Failure(401, 'Not signed in', why ?? notSigned)
}

export const notSigned = 'It is not signed with the secret of this webhook.'

/** Why a message is not taken; undefined where it is who it says, and of now. Takes as long whatever is wrong with it. */
export function whyUnsigned(
  secret: string,
  { id, time, signatures }: SignedBy,
  body: Buffer,
  now: Date,
): string | undefined {
  const wanted = Buffer.from(signatureOf(secret, id, time, body))
  const isSigned = signatures.split(' ').some((one) => {
    const given = Buffer.from(one.replace(/^v1,/, ''))
    return one.startsWith('v1,') && given.length === wanted.length && timingSafeEqual(given, wanted)
  })
  if (!isSigned) return notSigned
  const isOfNow = Math.abs(Number(time) * 1000 - now.getTime()) <= apartMs
  return isOfNow
    ? undefined
    : 'It was sent more than five minutes ago, or the clocks differ by that.'
}

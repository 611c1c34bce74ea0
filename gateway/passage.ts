import type { IncomingMessage, ServerResponse } from 'node:http'
import type { SoapVersion } from '../core/contract/envelopes'
import type { Step } from '../core/runtime/explain'
import { canonicalName } from '../core/runtime/headers'
import type { PolicyName } from '../core/runtime/policies'
import type { Route, Scheme } from '../core/runtime/routes'
import type { StepName } from '../core/runtime/steps'
import type { RequestHead } from './framing'

/** One request on its way through the gateway. */
export interface Passage {
  id: string
  started: number
  request: IncomingMessage
  response: ServerResponse
  head: RequestHead
  /** Of the connection. */
  address: string
  scheme: Scheme
  steps: Step[]
  route: Route | undefined
  /** The route that it is counted for: the one that takes it, or the withheld one that keeps it from others. */
  matched: Route | undefined
  /** The client, by what its credential says; empty where nobody knows. */
  client: string
  /** What is told of a key of the ledger's that is none of this placement. */
  tried: string
  /** What a token says. */
  claims: Record<string, unknown> | undefined
  /** The version of SOAP that is spoken, where it is. */
  soap: SoapVersion | undefined
  /** The whole body, where a step had to look at it. */
  body: Buffer | undefined
  /** Names and values that a response gets, whoever gives it. */
  fields: string[]
  /** Until a backend's response began, in milliseconds; undefined where none was asked. */
  upstreamMs: number | undefined
  /** The media type of the response, as it was sent. */
  responseType: string
  /** Names of the members of its body, where a step looked at them. */
  members: readonly string[]
  /** Which messages broke the definition, of those that were held against it. */
  breaks: { request: boolean; response: boolean }
  /** What is still being found out about its response, after that went out. */
  watching: Promise<void> | undefined
  /** When its response had gone out. */
  ended: number | undefined
  /** What is to be done when it is over. */
  ends: (() => void)[]
}

/** Why the gateway stops a request, and what it answers. */
export interface Refusal {
  status: number
  title: string
  /** The reason in words; that of the step where absent. */
  detail?: string
  headers?: Record<string, string | string[]>
}

/** One thing that is asked of a request: nothing lets it pass. It notes what it found among the steps. */
export type Check = (passage: Passage) => Refusal | undefined | Promise<Refusal | undefined>

/** Notes that a request passes a step. */
export function pass(
  passage: Passage,
  name: StepName,
  policy: PolicyName,
  text: string,
): undefined {
  passage.steps.push({ name, policy, passed: true, text })
}

/** Notes that a request is stopped at a step, for this reason. */
export function stop(
  passage: Passage,
  name: StepName,
  policy: PolicyName,
  text: string,
  refusal: Refusal,
): Refusal {
  passage.steps.push({ name, policy, passed: false, text })
  return refusal
}

/** The value of a header, however it was spelled; of several the values joined. */
export const headerOf = ({ head }: Passage, name: string): string | undefined =>
  head.fields.get(canonicalName(name))?.join(name === 'cookie' ? '; ' : ', ')

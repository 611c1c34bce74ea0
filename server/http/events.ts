import { createEventStream, defineEventHandler, setResponseHeader } from 'h3'
import { problemOf, sendProblem } from './problems'
import { sessionOf } from './session'
import { Failure } from '../services/failure'
import { actorOf } from '../services/people'
import type { Serving } from './router'

/** Between two signs of life, at each of which the session is looked at; in milliseconds. */
const beatMs = 20_000

/** Calls back with the topic of every change; gives the way to stop. */
export type Listen = (heard: (topic: string) => void) => () => void

/** Server-sent events: the topic of every change, so that open screens can look again. They end with the session. */
export const eventsHandler = (serving: () => Promise<Serving>, listen: Listen) =>
  defineEventHandler(async (event) => {
    setResponseHeader(event, 'Cache-Control', 'no-store')
    let session: string | undefined
    const { services, sessionSecret } = await serving()
    try {
      session = await sessionOf(event, sessionSecret)
      if (!session || !(await actorOf(services, session)))
        throw new Failure(401, 'Not signed in', 'Sign in to hear of changes.')
    } catch (error) {
      return sendProblem(event, problemOf(error))
    }
    const mine = session
    const stream = createEventStream(event)
    const endWithSession = async () => {
      const actor = await actorOf(services, mine).catch(() => 'unknown' as const)
      if (actor === undefined) await stream.close()
    }
    const stop = listen((topic) => {
      if (topic === 'session') void endWithSession()
      else void stream.push(topic)
    })
    const beat = setInterval(() => {
      void stream.push({ event: 'beat', data: '' })
      void endWithSession()
    }, beatMs)
    stream.onClosed(() => {
      stop()
      clearInterval(beat)
    })
    return stream.send()
  })

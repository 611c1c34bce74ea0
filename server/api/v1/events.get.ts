import { createEventStream, defineEventHandler, setResponseStatus } from 'h3'
import { listenForChanges } from '../../utils/changes'
import { serving } from '../../utils/serving'
import { sessionOf } from '../../http/session'
import { actorOf } from '../../services/people'

/** Server-sent events: the topic of every change, so that open screens can look again. */
export default defineEventHandler(async (event) => {
  const { services, sessionSecret } = await serving()
  const session = await sessionOf(event, sessionSecret)
  if (!session || !(await actorOf(services, session))) {
    setResponseStatus(event, 401)
    return { title: 'Not signed in', status: 401 }
  }
  const stream = createEventStream(event)
  const stop = listenForChanges((topic) => void stream.push(topic))
  const beat = setInterval(() => void stream.push({ event: 'beat', data: '' }), 25_000)
  stream.onClosed(() => {
    stop()
    clearInterval(beat)
  })
  return stream.send()
})

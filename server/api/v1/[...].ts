import { defineEventHandler, type Router } from 'h3'
import { problemOf, sendProblem } from '../../http/problems'
import { apiRouter } from '../../http/router'
import { operations } from '../../operations'
import { Failure } from '../../services/failure'
import { serving } from '../../utils/serving'

let router: Router | undefined

/** Everything below `/api/v1` that is not an event stream. */
export default defineEventHandler(async (event) => {
  try {
    router ??= apiRouter(operations, await serving())
    return await router.handler(event)
  } catch (error) {
    const { statusCode } = error as { statusCode?: number }
    const known = statusCode === 404 || statusCode === 405
    return sendProblem(
      event,
      known
        ? new Failure(statusCode, 'Not found', `There is nothing at ${event.path}.`)
        : problemOf(error),
    )
  }
})

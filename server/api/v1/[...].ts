import { defineEventHandler, type EventHandler } from 'h3'
import { problemOf, sendProblem } from '../../http/problems'
import { apiHandler } from '../../http/router'
import { operations } from '../../operations'
import { serving } from '../../utils/serving'

let handler: EventHandler | undefined

/** Everything below `/api/v1` that is not an event stream. */
export default defineEventHandler(async (event) => {
  try {
    handler ??= apiHandler(operations, await serving())
  } catch (error) {
    return sendProblem(event, problemOf(error))
  }
  return handler(event)
})

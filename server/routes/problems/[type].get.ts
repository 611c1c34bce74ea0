import { createError, defineEventHandler, getRouterParam, setResponseHeader } from 'h3'
import { problemTypes, type ProblemType } from '../../../shared/api/problem-types'

/** The page that a problem's `type` leads to. */
export default defineEventHandler((event) => {
  const type = getRouterParam(event, 'type') ?? ''
  if (!Object.hasOwn(problemTypes, type)) throw createError({ statusCode: 404 })
  const { title, says } = problemTypes[type as ProblemType]
  setResponseHeader(event, 'Content-Type', 'text/plain; charset=utf-8')
  return `${title}\n\n${says}\n`
})

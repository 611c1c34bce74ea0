import { defineEventHandler } from 'h3'
import { sendProblem } from '../http/problems'
import { notFound } from '../services/failure'

/** Whoever calls an address below `/api` that is no operation is a program, and is told so instead of being shown a page. */
export default defineEventHandler((event) =>
  sendProblem(event, notFound(`operation at ${event.path.split('?')[0]!.slice(0, 200)}`)),
)

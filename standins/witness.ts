import { appendFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs'
import { dirname } from 'node:path'
import { problem, reply, type Handlers } from './rest'

interface Head {
  size: number
  root: string
}

/** Somebody outside who keeps what they are sent, in order, and gives it back to whoever asks. */
export function witness(file: string): Handlers {
  mkdirSync(dirname(file), { recursive: true })
  const read = (): Head[] =>
    existsSync(file)
      ? readFileSync(file, 'utf8')
          .split('\n')
          .filter((line) => line !== '')
          .map((line) => JSON.parse(line) as Head)
      : []
  return {
    'GET /heads': () => reply(read()),
    'GET /heads/latest': () => reply(read().at(-1) ?? { size: 0 }),
    'POST /heads': ({ body }) => {
      const { size, root } = body as Partial<Head>
      if (!Number.isInteger(size) || typeof root !== 'string')
        return problem(400, 'Bad request', 'A head has a size and a root.')
      appendFileSync(file, `${JSON.stringify(body)}\n`)
      return reply({ kept: true }, 201)
    },
  }
}

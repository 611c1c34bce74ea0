import net from 'node:net'
import { StepError } from './steps.mjs'

const gatewayNames = ['north-edge', 'south-edge', 'inner']

/** Every port of one installation, counted from the web app's. */
export function portsFrom(web) {
  return {
    web,
    postgres: web + 1,
    standins: web + 2,
    mail: web + 3,
    gateways: gatewayNames.map((name, i) => ({
      name,
      data: web + 11 + i,
      admin: web + 21 + i,
      tls: web + 31 + i,
    })),
  }
}

const isFree = (port) =>
  new Promise((resolve) => {
    const server = net.createServer()
    server.once('error', () => resolve(false))
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)))
  })

/** Throws naming every port that somebody else holds. */
export async function requireFree(named) {
  const taken = []
  for (const [what, port] of named) if (!(await isFree(port))) taken.push(`${port} (${what})`)
  if (taken.length > 0) {
    throw new StepError(
      `${taken.length === 1 ? 'The port' : 'The ports'} ${taken.join(', ')} ${taken.length === 1 ? 'is' : 'are'} taken.`,
      'Stop what listens there, or start with other ports: ELM_PORT=5310 npm start (the others are counted from it).',
    )
  }
}

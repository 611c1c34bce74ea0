import { customerAccounts, meterReadings, paymentsDesk } from './customers'
import { reservoirLevels, supplyInterruptions } from './network'
import { billing, connections, hydrants, laboratory, tankers } from './older'
import { employees, issuer, machines } from './issuer'
import { keepCalling } from './callers'
import { Mailbox } from './mailbox'
import { RepositoryHost } from './repositories'
import { restServer, type Handlers } from './rest'
import { witness } from './witness'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'

/** One set of services for each stage, so that trying things out does not touch what is live. */
const stages = ['trial', 'rehearsal', 'live']
const port = Number(process.env['ELM_STANDIN_PORT'] ?? 7501)
const definitions = process.env['ELM_DEFINITIONS'] ?? join(process.cwd(), 'demo/definitions')

const services: Record<string, Handlers> = {}
for (const stage of stages) {
  services[`/${stage}/supply`] = supplyInterruptions()
  services[`/${stage}/meter-readings`] = meterReadings()
  services[`/${stage}/reservoirs`] = reservoirLevels()
  services[`/${stage}/customers`] = customerAccounts()
  services[`/${stage}/payments`] = paymentsDesk()
  services[`/${stage}/billing`] = billing()
  services[`/${stage}/tankers`] = tankers()
  services[`/${stage}/connections`] = connections()
  services[`/${stage}/hydrants`] = hydrants()
  services[`/${stage}/lab`] = laboratory()
}

/** Definitions at an address, for bringing in from one; the laboratory's refers to its schemas beside it. */
const published: Record<string, [file: string, mediaType: string]> = {
  '/leak-sensors.yaml': ['leak-sensors/0.3.0.yaml', 'application/yaml'],
  '/works-orders.wsdl': ['works-orders/3.2.0.wsdl', 'text/xml'],
}
for (const file of ['lab-sampling.wsdl', 'samples.xsd', 'results.xsd', 'common.xsd']) {
  published[`/lab/${file}`] = [`lab-sampling/1.8.0/${file}`, 'text/xml']
}
services['/definitions'] = Object.fromEntries(
  Object.entries(published).map(([path, [file, mediaType]]) => [
    `GET ${path}`,
    () => ({ status: 200, mediaType, body: readFileSync(join(definitions, file), 'utf8') }),
  ]),
)

const kept = process.env['ELM_STANDIN_DATA'] ?? join(process.cwd(), '.data')
if (process.env['ELM_CALLERS'] !== 'off') keepCalling(join(kept, 'callers.json'))
services['/witness'] = witness(join(kept, 'witness.jsonl'))

const web = new URL(process.env['ELM_WEB'] ?? 'http://127.0.0.1:4310')
const signOn = issuer({
  url: `http://127.0.0.1:${port}/issuer`,
  clientId: 'elm-ledger',
  clientSecret: process.env['ELM_STANDIN_CLIENT_SECRET'] ?? 'standin',
  redirects: ['127.0.0.1', 'localhost'].map((host) => `http://${host}:${web.port}/sign-on/return`),
  accounts: employees,
  machines,
})

const repositories = new RepositoryHost(
  join(kept, 'git'),
  process.env['ELM_STANDIN_CLIENT_SECRET'] ?? 'standin',
)
const readings = readFileSync(join(definitions, 'meter-readings/4.0.0.yaml'), 'utf8')
await repositories.create('meter-readings', { 'openapi.yaml': readings })

const mailbox = new Mailbox()
await mailbox.listen(Number(process.env['ELM_STANDIN_MAIL'] ?? port + 1))

restServer(services, {
  '/issuer': signOn,
  '/mailbox': mailbox.page,
  '/git': repositories.listener,
}).listen(port, '127.0.0.1', () => {
  process.send?.('ready')
  console.log(`stand-ins ready on ${port}`)
})

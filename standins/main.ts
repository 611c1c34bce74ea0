import { customerAccounts, meterReadings, paymentsDesk } from './customers'
import { reservoirLevels, supplyInterruptions } from './network'
import { restServer, type Handlers } from './rest'
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
}

/** Definitions at an address, for bringing in from one. */
services['/definitions'] = {
  'GET /leak-sensors.yaml': () => ({
    status: 200,
    mediaType: 'application/yaml',
    body: readFileSync(join(definitions, 'leak-sensors/0.3.0.yaml'), 'utf8'),
  }),
}

restServer(services).listen(port, '127.0.0.1', () => {
  process.send?.('ready')
  console.log(`stand-ins ready on ${port}`)
})

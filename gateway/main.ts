import { startGateway } from './gateway'

/** `ELM_GATEWAYS` is `name:dataPort:adminPort`, comma separated. */
const gateways = (process.env['ELM_GATEWAYS'] ?? '').split(',').filter(Boolean)
const secret = process.env['ELM_GATEWAY_SECRET']
const directory = process.env['ELM_GATEWAY_DATA']
if (gateways.length === 0 || !secret || !directory) {
  console.error('ELM_GATEWAYS, ELM_GATEWAY_SECRET and ELM_GATEWAY_DATA are needed')
  process.exit(2)
}

for (const gateway of gateways) {
  const [name = '', dataPort, adminPort] = gateway.split(':')
  await startGateway({
    name,
    dataPort: Number(dataPort),
    adminPort: Number(adminPort),
    secret,
    directory,
  })
}
process.send?.('ready')
console.log(`gateways ready: ${gateways.join(', ')}`)

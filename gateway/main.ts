import { startGateway } from './gateway'

/** `ELM_GATEWAY` is `name:dataPort:adminPort`, and `:tlsPort` where TLS is spoken; `ELM_RESERVED` lists addresses that are no backends. */
const [name = '', dataPort, adminPort, tlsPort] = (process.env['ELM_GATEWAY'] ?? '').split(':')
const secret = process.env['ELM_GATEWAY_SECRET']
const directory = process.env['ELM_GATEWAY_DATA']
if (!name || !dataPort || !adminPort || !secret || !directory) {
  console.error('ELM_GATEWAY, ELM_GATEWAY_SECRET and ELM_GATEWAY_DATA are needed')
  process.exit(2)
}
await startGateway({
  name,
  dataPort: Number(dataPort),
  adminPort: Number(adminPort),
  ...(tlsPort && { tlsPort: Number(tlsPort) }),
  secret,
  directory,
  threads: import.meta.dirname,
  reserved: (process.env['ELM_RESERVED'] ?? '').split(',').filter(Boolean),
})
process.send?.('ready')
console.log(`${name} ready on ${dataPort}`)

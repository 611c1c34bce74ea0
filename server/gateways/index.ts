import type { Services } from '../services/context'
import { adminApi } from './admin-api'
import type { Adapter, GatewayRow } from './adapter'
import { files } from './files'
import { uploaded } from './uploaded'

/** How a gateway is read, written and understood, by its kind. */
export function adapterOf(
  { db, gatewaySecret, gatewayFolders }: Pick<Services, 'db' | 'gatewaySecret' | 'gatewayFolders'>,
  gateway: GatewayRow,
): Adapter {
  if (gateway.kind === 'files') return files(gatewayFolders, gateway.name, gateway.folder)
  if (gateway.kind === 'uploaded') return uploaded(db, gateway.name)
  return adminApi(gateway, gatewaySecret)
}

import { usePublicAddress } from '../http/security'
import { settingsOf } from '../services/settings'
import { listenForChanges } from '../utils/changes'
import { serving } from '../utils/serving'

/** The public address is a setting: it is read at the start and whenever the settings change. */
export default async () => {
  const read = async () => {
    const { services } = await serving()
    usePublicAddress((await settingsOf(services.db))?.publicAddress ?? '')
  }
  listenForChanges((topic) => {
    if (topic !== 'organisation' && topic !== 'reconnected') return
    read().catch((error: Error) => console.warn('The public address was not read:', error.message))
  })
  await read().catch((error: Error) =>
    console.warn('The public address was not read:', error.message),
  )
}

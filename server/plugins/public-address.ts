import { usePublicAddress } from '../http/security'
import { settingsOf } from '../services/settings'
import { listenForChanges } from '../utils/changes'
import { serving } from '../utils/serving'
import { errorText } from '../../core/text/values'

/** The public address is a setting: it is read at the start and whenever the settings change. */
export default async () => {
  const read = async () => {
    try {
      const { services } = await serving()
      usePublicAddress((await settingsOf(services.db))?.publicAddress ?? '')
    } catch (error) {
      console.warn('The public address was not read:', errorText(error))
    }
  }
  listenForChanges((topic) => {
    if (topic === 'organisation' || topic === 'reconnected') void read()
  })
  await read()
}

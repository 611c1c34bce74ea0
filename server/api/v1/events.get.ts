import { eventsHandler } from '../../http/events'
import { listenForChanges } from '../../utils/changes'
import { serving } from '../../utils/serving'

export default eventsHandler(serving, listenForChanges)

import { actAs, type Services } from '../server/services/context'
import { createAlert } from '../server/services/alerts'
import { actorNamed } from '../server/services/people'

/** What people of the demo want to be told of. */
export async function seedAlerts(services: Services): Promise<void> {
  const oskar = actAs(services, await actorNamed(services.db, 'oskar'))
  const imara = actAs(services, await actorNamed(services.db, 'imara'))
  const common = { minutes: 15, mails: ['oskar@brackenmere.example'], webhook: '' }
  await createAlert(oskar, {
    ...common,
    ...{ title: 'Errors in Live', kind: 'errors', threshold: 5, stage: 'Live' },
    quiet: { from: '22:00', to: '06:00', timeZone: 'Europe/London' },
  })
  await createAlert(oskar, {
    ...common,
    ...{ title: 'North edge is silent', kind: 'silence', threshold: 20, gateway: 'north-edge' },
  })
  await createAlert(imara, {
    ...{ title: 'Hydrant Register goes away', kind: 'sunset', threshold: 150, minutes: 15 },
    ...{ api: 'hydrant-register', mails: ['imara@brackenmere.example'], webhook: '' },
  })
}

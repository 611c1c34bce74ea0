import { weekdays } from '../core/pipeline/hours'
import { actAs, type Services } from '../server/services/context'
import { changeNotifications } from '../server/services/notifications'
import { actorNamed } from '../server/services/people'
import { createPipeline } from '../server/services/pipelines'
import { approve, requestPromotion } from '../server/services/promotions'
import { taskKinds } from '../shared/words'

/** The day of the week in so many days, so that the window is shut when the demo begins. */
const weekdayIn = (days: number) => weekdays[(new Date().getUTCDay() + 6 + days) % 7]!

/** Inside the company nobody has to speak for a rehearsal; outside of it the usual pipeline holds. */
const privateApis = () => `pipeline: 1
for:
  audiences: [private]
stages:
  - name: Trial
  - name: Rehearsal
    gates:
      # Who calls inside is told in time: what is found is mended on the way.
      drift: {}
      version: {}
  - name: Live
    gates:
      findings: {}
      drift: {}
      version: {}
      # A day of rehearsal, with hardly an error.
      soak: { hours: 24, errorPercent: 1 }
      approval: { number: 1, authorsToo: false }
      # When few people are at their desks.
      window: { days: [${weekdayIn(3)}], from: 5, until: 7, timeZone: Europe/London }
    carryOut:
      # Nobody gets up for it: it is carried out in the window, and goes back by itself where calls fail.
      when: open
      watch: { minutes: 10, errorPercent: 2 }
`

/** The pipeline that governance wrote beside the usual one, and a version that waits for its window. */
export async function seedPipelines(services: Services): Promise<void> {
  const imara = actAs(services, await actorNamed(services.db, 'imara'))
  await createPipeline(imara, {
    title: 'Private APIs',
    text: privateApis(),
    note: 'Rehearsals inside the company need nobody to speak for them',
  })
  const edwin = actAs(services, await actorNamed(services.db, 'edwin'))
  const ruth = actAs(services, await actorNamed(services.db, 'ruth'))
  const { id, digest } = await requestPromotion(edwin, {
    ...{ api: 'customer-accounts', version: '3.3.0', from: 'Rehearsal' },
    note: 'The timeline of an account, for the contact centre.',
  })
  await approve(ruth, id, { note: 'Read, and tried at the desk.', digest: digest! })
  await changeNotifications(ruth, {
    ...{ mail: 'ruth.amadi@brackenmere.example', webhook: '', kinds: [...taskKinds] },
    ...{ when: 'at-once', hour: 8, timeZone: 'Europe/London' },
  })
}

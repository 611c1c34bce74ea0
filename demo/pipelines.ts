import { weekdays } from '../core/pipeline/hours'
import { actAs, type Services } from '../server/services/context'
import { changeNotifications } from '../server/services/notifications'
import { actorNamed } from '../server/services/people'
import { createPipeline } from '../server/services/pipelines'
import { createProbe, issueProbeKey } from '../server/services/probes'
import { approve, promote, requestPromotion } from '../server/services/promotions'
import { createRelease } from '../server/services/releases'
import { workRollouts } from '../server/services/rollout-work'
import { idleQueue } from './seed'
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

/** Outside of the company nothing breaks for anybody who was not told, and what came before is served for half a year. */
const outsideApis = () => `pipeline: 1
for:
  audiences: [partner, public]
stages:
  - name: Trial
  - name: Rehearsal
    gates:
      findings: {}
      drift: {}
      version: {}
      approval: { number: 1 }
  - name: Live
    gates:
      findings: {}
      drift: {}
      version: {}
      # Whoever called it in the last month was told at least a week before.
      callers: { days: 30, noticeDays: 7 }
      approval: { number: 1 }
    # What probes ask is asked of each site once it has the version.
    carryOut: { when: hand, probes: true }
    # Both are served for half a year, every answer of the old one says so, and then it is taken off.
    predecessor: { becomes: retired, days: 180 }
`

/** What is asked of every site, every quarter of an hour. */
const probe = `arazzo: 1.0.1
info: { title: A meter and its readings, version: 1.0.0 }
sourceDescriptions:
  - { name: definition, url: openapi.yaml, type: openapi }
workflows:
  - workflowId: probe
    summary: A meter is found, and its readings come
    steps:
      - stepId: list
        operationPath: '{$sourceDescriptions.definition.url}#/paths/~1meters/get'
        successCriteria:
          - condition: $statusCode == 200
      - stepId: rounds
        operationPath: '{$sourceDescriptions.definition.url}#/paths/~1rounds/get'
        successCriteria:
          - condition: $statusCode == 200
`

/** A version that breaks what four clients call: they have to be told before it comes to Live. */
async function meterReadings(services: Services): Promise<void> {
  const queue = { ...idleQueue, rollOut: () => workRollouts(services) }
  const [nadia, ruth, oskar] = await Promise.all(
    ['nadia', 'ruth', 'oskar'].map(async (name) =>
      actAs({ ...services, queue }, await actorNamed(services.db, name)),
    ),
  )
  const which = { api: 'meter-readings', version: '4.0.0' }
  const note = 'Readings with a unit of their own, and batches by round'
  const rehearsal = await requestPromotion(nadia!, { ...which, from: 'Trial', note })
  const { id, digest } = rehearsal
  await approve(ruth!, id, { note: 'Rehearse it', digest: digest! })
  await promote(oskar!, id)
  await requestPromotion(nadia!, { ...which, from: 'Rehearsal', note })
  await createProbe(nadia!, which.api, {
    ...{ title: 'A meter and its readings', text: probe },
    ...{ every: 15, stages: ['Rehearsal', 'Live'] },
  })
  const asked = [
    'meter-readings-rehearsal-1',
    'meter-readings-rehearsal-2',
    'meter-readings-live-1',
  ]
  for (const placement of asked) await issueProbeKey(oskar!, placement)
}

/** The pipelines that governance wrote, a version that waits for its window, and a release of two. */
export async function seedPipelines(services: Services): Promise<void> {
  const imara = actAs(services, await actorNamed(services.db, 'imara'))
  await createPipeline(imara, {
    title: 'Private APIs',
    text: privateApis(),
    note: 'Rehearsals inside the company need nobody to speak for them',
  })
  await createPipeline(imara, {
    title: 'Partner and public APIs',
    text: outsideApis(),
    note: 'Nothing breaks for anybody who was not told',
  })
  const edwin = actAs(services, await actorNamed(services.db, 'edwin'))
  const ruth = actAs(services, await actorNamed(services.db, 'ruth'))
  const { id, digest } = await requestPromotion(edwin, {
    ...{ api: 'customer-accounts', version: '3.3.0', from: 'Rehearsal' },
    note: 'The timeline of an account, for the contact centre.',
  })
  await approve(ruth, id, { note: 'Read, and tried at the desk.', digest: digest! })
  await meterReadings(services)
  // The timeline shows readings as 4.0.0 has them: neither comes to Live without the other.
  await createRelease(actAs(services, await actorNamed(services.db, 'oskar')), {
    ...{ title: 'Readings on the account', from: 'Rehearsal' },
    note: 'The timeline of an account shows readings with their units.',
    versions: [
      { api: 'customer-accounts', version: '3.3.0' },
      { api: 'meter-readings', version: '4.0.0' },
    ],
  })
  await changeNotifications(ruth, {
    ...{ mail: 'ruth.amadi@brackenmere.example', webhook: '', kinds: [...taskKinds] },
    ...{ when: 'at-once', hour: 8, timeZone: 'Europe/London' },
  })
}

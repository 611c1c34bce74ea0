import { actAs, type Services } from '../server/services/context'
import { actorNamed } from '../server/services/people'
import { createPipeline } from '../server/services/pipelines'

/** Inside the company nobody has to speak for a rehearsal; outside of it the usual pipeline holds. */
const privateApis = `pipeline: 1
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
`

/** The pipeline that governance wrote beside the usual one. */
export async function seedPipelines(services: Services): Promise<void> {
  const imara = actAs(services, await actorNamed(services.db, 'imara'))
  await createPipeline(imara, {
    title: 'Private APIs',
    text: privateApis,
    note: 'Rehearsals inside the company need nobody to speak for them',
  })
}

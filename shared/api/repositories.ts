import {
  audiences,
  jobCauses,
  jobLineKinds,
  jobOutcomes,
  jobStates,
  type Audience,
  type JobCause,
  type JobLineKind,
  type JobOutcomeState,
  type JobState,
  type WebhookKind,
  webhookKinds,
} from '../words'
import { PageQuery } from './catalog'
import { choice, flag, many, moment, one, text, whole } from './fields'

const refKinds = ['branch', 'tag'] as const

export class RefStage {
  @choice(refKinds, { says: 'Whether it is a branch or a tag.' })
  kind!: (typeof refKinds)[number]

  @text({ says: 'Its name; may end with * for anything.', example: 'main', min: 1, max: 200 })
  name!: string

  @text({ says: 'The stage that is its.', example: 'Trial', min: 1, max: 60 })
  stage!: string
}

export class RepositoryDefinition {
  @text({ says: 'The main file, from the top of the repository.', example: 'openapi.yaml', min: 1 })
  path!: string

  @text({
    says: 'Whose definition it is; empty where the API is new and begins with the first commit.',
    example: 'meter-readings',
    max: 100,
  })
  api!: string
}

/** How the host of a repository signs what it tells. */
export class RepositoryWebhook {
  @choice(webhookKinds, {
    says: 'As Standard Webhooks 1.0 says; as an HMAC-SHA256 of the body, written sha256=…, in a header; or with the secret itself in a header.',
    example: 'hmac-sha256',
  })
  kind!: WebhookKind

  @text({
    says: 'The header, for those that have one of their own.',
    example: 'X-Signature-256',
    max: 100,
    pattern: /^[\w-]*$/,
    otherwise: 'A header has letters, digits and hyphens',
  })
  header!: string
}

class RepositorySettings {
  @text({ says: 'What it is called.', example: 'Meter readings', min: 1, max: 80 })
  title!: string

  @text({
    says: 'Where git reads it, by http or https.',
    example: 'https://git.brackenmere.example/meter-readings.git',
    min: 1,
  })
  url!: string

  @text({
    says: 'Where the state of a commit is told by POST; {commit} stands for it. Empty for nowhere.',
    example: 'https://git.brackenmere.example/meter-readings/statuses/{commit}',
  })
  statusUrl!: string

  @text({ says: 'Whose it is.', example: 'Metering' })
  team!: string

  @choice(audiences, { says: 'For whom APIs are that come from it for the first time.' })
  audience!: Audience

  @many(() => RefStage, {
    says: 'Which branches and tags belong to which stage; the first that names one holds.',
    max: 20,
  })
  refs!: RefStage[]

  @many(() => RepositoryDefinition, { says: 'Its definitions.', max: 50 })
  definitions!: RepositoryDefinition[]

  @one(() => RepositoryWebhook, {
    says: 'How its host signs; as Standard Webhooks says where absent.',
    optional: true,
  })
  webhook?: RepositoryWebhook
}

export class RepositoryRequest extends RepositorySettings {
  @text({
    says: 'What it is read with and its commits are told with. Absent: the one that is kept; empty: none.',
    example: '',
    secret: true,
    optional: true,
  })
  token?: string
}

export class JobOutcome {
  @text({ says: 'The main file.', example: 'openapi.yaml' })
  path!: string

  @text({
    says: 'Whose definition it is; empty where that is not known.',
    example: 'meter-readings',
  })
  api!: string

  @choice(jobOutcomes, { says: 'What became of it.' })
  state!: JobOutcomeState

  @whole({ says: 'The revision that it is.', example: 4, optional: true })
  revision?: number

  @text({ says: 'The version that it names.', example: '4.0.1', optional: true })
  version?: string

  @whole({ says: 'The rollout that places it.', example: 81, optional: true })
  rollout?: number

  @whole({ says: 'The promotion that was asked for.', example: 12, optional: true })
  promotion?: number

  @text({ says: 'In words.', example: 'Placed in Trial', max: 2000 })
  says!: string
}

export class RepositoryJob {
  @whole({ says: 'Its number.', example: 17 })
  job!: number

  @text({ says: 'Of which repository.', example: 'meter-readings' })
  repository!: string

  @text({ says: 'The branch or tag.', example: 'refs/heads/main' })
  ref!: string

  @text({ says: 'Its stage.', example: 'Trial' })
  stage!: string

  @choice(jobCauses, { says: 'Why it began.' })
  cause!: JobCause

  @choice(jobStates, { says: 'How far it is.' })
  state!: JobState

  @text({ says: 'The commit; empty until it is fetched.', example: '', max: 64 })
  commit!: string

  @text({ says: 'Who wrote it.', example: 'Nadia Corrie' })
  author!: string

  @text({ says: 'What they said of it.', example: 'Describe readings', max: 2000 })
  message!: string

  @moment({ says: 'When it was wanted.' })
  at!: string

  @moment({ says: 'When it ended.', optional: true })
  endedAt?: string

  @text({ says: 'What it came to.', example: '', max: 2000 })
  says!: string

  @many(() => JobOutcome, { says: 'What became of each definition.' })
  outcomes!: JobOutcome[]

  @text({ says: 'What was told of the commit.', example: 'success' })
  reported!: string

  @text({ says: 'Why that could not be told.', example: '', max: 2000 })
  reportTrouble!: string
}

export class RepositoryItem extends RepositorySettings {
  @text({ says: 'What it is known by.', example: 'meter-readings' })
  repository!: string

  @flag({ says: 'Whether a token is kept.' })
  hasToken!: boolean

  @text({ says: 'Who set it, and whom its jobs act as.', example: 'Nadia Corrie' })
  setBy!: string

  @moment({ says: 'When.' })
  setAt!: string

  @moment({ says: 'When its branches were read last.', optional: true })
  readAt?: string

  @text({ says: 'Why they could not be.', example: '', max: 2000 })
  trouble!: string

  @one(() => RepositoryJob, { says: 'Its last job.', optional: true })
  last?: RepositoryJob

  @moment({ says: 'When a message of its host was refused last.', optional: true })
  refusedAt?: string

  @text({ says: 'Why it was.', example: '', max: 500 })
  refusedWhy!: string
}

/** A repository with the secret of its webhook. */
export class IssuedRepository extends RepositoryItem {
  @text({ says: 'What its webhook signs with; shown once.', example: 'whsec_…' })
  secret!: string
}

export class JobLine {
  @whole({ says: 'Its number in the log.', example: 1 })
  number!: number

  @moment({ says: 'When.' })
  at!: string

  @choice(jobLineKinds, { says: 'What it is.' })
  kind!: JobLineKind

  @text({ says: 'What it says.', example: 'main is at 1916a083df', max: 4000 })
  text!: string
}

export class JobQuery extends PageQuery {
  @text({ says: 'Only of this repository.', example: 'meter-readings', optional: true })
  repository?: string

  @choice(jobStates, { says: 'Only those that are so far.', optional: true })
  state?: JobState
}

export class JobLineQuery extends PageQuery {
  @whole({ says: 'Only lines after this one.', example: 0, min: 0, optional: true })
  after?: number
}

/** What came of a message of a repository’s host. */
export class DeliveryTaken {
  @text({ says: 'In words.', example: 'Job 17 reads main.' })
  says!: string

  @whole({
    says: 'The job that reads it; absent where nobody asked for that branch.',
    example: 17,
    optional: true,
  })
  job?: number
}

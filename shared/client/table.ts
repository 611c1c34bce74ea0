import type {
  GatewayChange,
  GatewayTest,
  GroupChange,
  HostChange,
  HostItem,
  IssuedGatewaySecret,
  OrganisationChange,
  SetupStart,
  StageItem,
  StageList,
  StagesImpact,
} from '../api/administration'
import type { AlertChange, AlertItem, IssuedAlert } from '../api/alerts'
import type { AddressBatch, Batch, BatchAcceptance, BatchQuery } from '../api/batches'
import type {
  Acceptance,
  AddressIntake,
  ApiChange,
  ApiDetail,
  Intake,
  IntakeQuery,
  PageQuery,
  RegisterPage,
  RevisionDetail,
  RevisionItem,
  Saved,
} from '../api/catalog'
import type { CheckItem, CheckQuery, ReportQuery } from '../api/checks'
import type {
  ComparisonChange,
  ComparisonChangeDetail,
  ComparisonChangesQuery,
  ComparisonItem,
  ComparisonReportQuery,
  ComparisonRequest,
  FileComparisonQuery,
} from '../api/comparisons'
import type { DeskRequest, DeskResponse } from '../api/desk'
import type {
  DriftAcceptance,
  DriftDetail,
  DriftItem,
  DriftMonth,
  DriftMonthQuery,
  DriftQuery,
  ReactionChange,
  ReactionItem,
} from '../api/drift'
import type {
  AnnouncementRequest,
  CallerItem,
  EndingItem,
  EndingQuery,
  KeyContactChange,
} from '../api/endings'
import type { EvidenceItem } from '../api/evidence'
import type {
  GatewayHealth,
  GatewayItem,
  GroupItem,
  RoutesQuery,
  RunningRouteItem,
  SnapshotUpload,
} from '../api/gateways'
import type { ImpactItem, ImpactPlace, ImpactQuery, ImpactStart } from '../api/impact'
import type {
  ConsistencyProof,
  ConsistencyQuery,
  InclusionProof,
  LedgerEntry,
  LedgerQuery,
  ProofQuery,
  SignedHeadItem,
  Verification,
} from '../api/ledger'
import type {
  EvidenceSourceItem,
  EvidenceSourceRequest,
  IssuedEvidenceSource,
  OutsideResultItem,
  OutsideResultQuery,
  OutsideResultTaken,
} from '../api/outside'
import type {
  Invitation,
  InvitationTaken,
  MemberItem,
  NewPassword,
  PasswordChoice,
  Person,
  PersonChange,
  PersonStart,
  SessionItem,
} from '../api/people'
import type {
  ChangeRequest,
  DraftQuery,
  HandEdit,
  IssuedKey,
  KeyRequest,
  PlacementCheck,
  PlacementDetail,
  PlacementDraft,
  PlacementFinding,
  PlacementFindingPage,
  PlacementFindingQuery,
  PlacementFindings,
  PlacementItem,
  PlacementQuery,
  PlacementRequest,
  Rollback,
  SpecBody,
} from '../api/placements'
import type {
  PolicyApproval,
  PolicyChangeItem,
  PolicyChangeQuery,
  PolicyChangeRequest,
  PolicyPreview,
  PolicyScopeBody,
  PolicyScopeItem,
} from '../api/policies'
import type {
  ProbeBody,
  ProbeDraft,
  ProbeItem,
  ProbeRunItem,
  ProbeRunQuery,
  ProbeRunRequest,
} from '../api/probes'
import type {
  Approval,
  GateWaiverRequest,
  Override,
  PipelineChange,
  PipelineDetail,
  PipelineDraft,
  PipelineImpact,
  PipelineItem,
  PromotionDetail,
  PromotionItem,
  PromotionQuery,
  PromotionRequest,
} from '../api/promotions'
import type {
  ProposalCount,
  ProposalDecision,
  ProposalItem,
  ProposalOutcome,
  ProposalQuery,
  ProposalStart,
  ProposedText,
} from '../api/proposals'
import type {
  BodySample,
  ConversionRequest,
  Converted,
  FileQuery,
  OperationReading,
  SaveQuery,
  SchemaReading,
  SearchPage,
  SearchQuery,
} from '../api/reading'
import type {
  ReleaseApproval,
  ReleaseDetail,
  ReleaseItem,
  ReleaseQuery,
  ReleaseRequest,
} from '../api/releases'
import type {
  DeliveryTaken,
  IssuedRepository,
  JobLine,
  JobLineQuery,
  JobQuery,
  RepositoryItem,
  RepositoryJob,
  RepositoryRequest,
} from '../api/repositories'
import type { RequestDetail, RequestItem, RequestQuery } from '../api/requests'
import type {
  AppliedResource,
  ResourceChangeRequest,
  ResourceItem,
  ResourcePlan,
  ResourcePlanRequest,
  ResourceQuery,
  ResourceRemoval,
} from '../api/resources'
import type { RolloutItem, RolloutQuery } from '../api/rollouts'
import type {
  ActResult,
  CommentItem,
  EditionItem,
  EstateFindings,
  FindingAct,
  FindingItem,
  FindingKey,
  FindingQuery,
  NewRulebook,
  Publication,
  Rulebook,
  RulebookDraft,
  RulebookQuery,
  RulebookSettings,
  RulebookText,
  SurroundingsItem,
  WaiverDecision,
  WaiverItem,
  WaiverQuery,
  WaiverRequest,
} from '../api/rules'
import type {
  PublicAddress,
  Retention,
  SettingsItem,
  SignInChange,
  SignOnChange,
  SignOnTest,
} from '../api/settings'
import type { Shell } from '../api/shell'
import type {
  IssuedNotification,
  NotificationChange,
  NotificationItem,
  TaskItem,
  TaskQuery,
} from '../api/tasks'
import type { IssuedToken, NewToken, TokenItem } from '../api/tokens'
import type { TrafficPage, TrafficQuery } from '../api/traffic'
import type { Call, Page, Route } from './client'

// Made from the operations of the server: `npm run operations` writes it, and a test holds it to them.

/** Every operation: its method and path, what it sends, and what comes back. */
export const routes = {
  acceptBatch: ['POST', '/batches/{batch}/accept', 'json', 'json'],
  acceptDrift: ['PUT', '/differences/{difference}/acceptance', 'json', 'json'],
  acceptIntake: ['POST', '/intakes/{intake}/accept', 'json', 'json'],
  acceptInvitation: ['POST', '/invitations', 'json', 'json'],
  acceptProposal: ['POST', '/proposals/{proposal}/decision', 'json', 'json'],
  addPerson: ['POST', '/people', 'json', 'json'],
  approveGateWaiver: [
    'POST',
    '/promotions/{promotion}/gate-waivers/{gate}/approve',
    'nothing',
    'json',
  ],
  approvePolicyChange: ['POST', '/policy-changes/{change}/approval', 'json', 'json'],
  approvePromotion: ['POST', '/promotions/{promotion}/approvals', 'json', 'json'],
  approveRelease: ['POST', '/releases/{release}/approvals', 'json', 'json'],
  approveWaiver: ['POST', '/waivers/{waiver}/decision', 'json', 'nothing'],
  cancelBatch: ['POST', '/batches/{batch}/cancel', 'nothing', 'json'],
  cancelRelease: ['DELETE', '/releases/{release}', 'nothing', 'nothing'],
  cancelRepositoryJob: ['POST', '/repository-jobs/{job}/cancel', 'nothing', 'json'],
  cancelRollout: ['POST', '/rollouts/{rollout}/cancel', 'nothing', 'json'],
  changeByHand: ['POST', '/placements/{placement}/hand-edit', 'json', 'json'],
  changePassword: ['PUT', '/self/password', 'json', 'nothing'],
  changePerson: ['PATCH', '/people/{person}', 'json', 'nothing'],
  checkPipeline: ['POST', '/pipeline-impacts', 'json', 'json'],
  checkPlacement: ['POST', '/placement-checks', 'json', 'json'],
  checkResources: ['POST', '/resource-plans', 'json', 'json'],
  checkStages: ['POST', '/stage-plans', 'json', 'json'],
  confirmOverride: ['POST', '/promotions/{promotion}/confirm', 'nothing', 'json'],
  connectRepository: ['POST', '/repositories', 'json', 'json'],
  convertRevision: ['POST', '/apis/{api}/revisions/{revision}/conversions', 'json', 'json'],
  createAlert: ['POST', '/alerts', 'json', 'json'],
  createBaseline: ['POST', '/apis/{api}/baseline', 'nothing', 'json'],
  createBatch: ['POST', '/batches', 'text', 'json'],
  createBatchFromAddresses: ['POST', '/batches/from-addresses', 'json', 'json'],
  createCheck: ['POST', '/checks', 'text', 'json'],
  createComparison: ['POST', '/comparisons', 'json', 'json'],
  createEvidenceSource: ['POST', '/evidence-sources', 'json', 'json'],
  createFileComparison: ['POST', '/comparisons/file', 'text', 'json'],
  createGateWaiver: ['POST', '/promotions/{promotion}/gate-waivers', 'json', 'json'],
  createImpact: ['POST', '/rulebooks/{rulebook}/impacts', 'json', 'json'],
  createIntake: ['POST', '/intakes', 'text', 'json'],
  createIntakeFromAddress: ['POST', '/intakes/from-address', 'json', 'json'],
  createIntakeReferences: ['POST', '/intakes/{intake}/references', 'nothing', 'json'],
  createOutsideResult: ['POST', '/evidence-sources/{source}/results', 'text', 'json'],
  createPipeline: ['POST', '/pipelines', 'json', 'json'],
  createPlacement: ['POST', '/placements', 'json', 'json'],
  createProbe: ['POST', '/apis/{api}/probes', 'json', 'json'],
  createProposals: ['POST', '/rules/{rule}/proposals', 'json', 'json'],
  createRelease: ['POST', '/releases', 'json', 'json'],
  createRepositoryDelivery: ['POST', '/repositories/{repository}/deliveries', 'text', 'json'],
  createRulebook: ['POST', '/rulebooks', 'json', 'json'],
  createSession: ['POST', '/session', 'nothing', 'json'],
  createSetup: ['POST', '/setup', 'json', 'json'],
  createToken: ['POST', '/tokens', 'json', 'json'],
  createWaiver: ['POST', '/waivers', 'json', 'nothing'],
  deleteSession: ['DELETE', '/session', 'nothing', 'nothing'],
  deleteToken: ['DELETE', '/tokens/{token}', 'nothing', 'nothing'],
  endDriftAcceptance: ['DELETE', '/differences/{difference}/acceptance', 'nothing', 'nothing'],
  endSession: ['DELETE', '/self/sessions/{session}', 'nothing', 'nothing'],
  exportLedger: ['GET', '/ledger/export', 'nothing', 'text'],
  exportTraffic: ['GET', '/traffic/export', 'nothing', 'text'],
  getApi: ['GET', '/apis/{api}', 'nothing', 'json'],
  getArchive: ['GET', '/apis/{api}/revisions/{revision}/archive', 'nothing', 'text'],
  getBatch: ['GET', '/batches/{batch}', 'nothing', 'json'],
  getCheck: ['GET', '/checks/{check}', 'nothing', 'json'],
  getCheckReport: ['GET', '/checks/{check}/report', 'nothing', 'text'],
  getComparison: ['GET', '/comparisons/{comparison}', 'nothing', 'json'],
  getComparisonChange: ['GET', '/comparisons/{comparison}/changes/{change}', 'nothing', 'json'],
  getComparisonReport: ['GET', '/comparisons/{comparison}/report', 'nothing', 'text'],
  getConsistencyProof: ['GET', '/ledger/consistency', 'nothing', 'json'],
  getDefinition: ['GET', '/definition', 'nothing', 'text'],
  getDictionary: ['GET', '/dictionary', 'nothing', 'text'],
  getDrift: ['GET', '/differences/{difference}', 'nothing', 'json'],
  getDriftMonth: ['GET', '/drift-month', 'nothing', 'json'],
  getEditionText: ['GET', '/editions/{edition}/text', 'nothing', 'text'],
  getEstateFindings: ['GET', '/findings/estate', 'nothing', 'json'],
  getGatewayHealth: ['GET', '/gateways/{gateway}/health', 'nothing', 'json'],
  getGatewayIntent: ['GET', '/gateways/{gateway}/intent', 'nothing', 'text'],
  getImpact: ['GET', '/impacts/{impact}', 'nothing', 'json'],
  getInclusionProof: ['GET', '/ledger/entries/{entry}/proof', 'nothing', 'json'],
  getIntake: ['GET', '/intakes/{intake}', 'nothing', 'json'],
  getIntakeText: ['GET', '/intakes/{intake}/text', 'nothing', 'text'],
  getLedgerKey: ['GET', '/ledger/key', 'nothing', 'text'],
  getNotifications: ['GET', '/notifications', 'nothing', 'json'],
  getOperation: [
    'GET',
    '/apis/{api}/revisions/{revision}/operations/{operation}',
    'nothing',
    'json',
  ],
  getPipeline: ['GET', '/pipelines/{pipeline}', 'nothing', 'json'],
  getPipelineSchema: ['GET', '/pipeline-schema', 'nothing', 'text'],
  getPlacement: ['GET', '/placements/{placement}', 'nothing', 'json'],
  getPlacementDraft: ['GET', '/apis/{api}/placement-draft', 'nothing', 'json'],
  getPolicyChange: ['GET', '/policy-changes/{change}', 'nothing', 'json'],
  getPolicyScope: ['GET', '/policy-scopes/{scope}', 'nothing', 'json'],
  getProbeDraft: ['GET', '/apis/{api}/probe-draft', 'nothing', 'json'],
  getPromotion: ['GET', '/promotions/{promotion}', 'nothing', 'json'],
  getPromotionEvidence: ['GET', '/promotions/{promotion}/evidence', 'nothing', 'json'],
  getRelease: ['GET', '/releases/{release}', 'nothing', 'json'],
  getRepository: ['GET', '/repositories/{repository}', 'nothing', 'json'],
  getRepositoryJob: ['GET', '/repository-jobs/{job}', 'nothing', 'json'],
  getRequest: ['GET', '/requests/{request}', 'nothing', 'json'],
  getResourceSchema: ['GET', '/resource-schema', 'nothing', 'text'],
  getRevision: ['GET', '/apis/{api}/revisions/{revision}', 'nothing', 'json'],
  getRevisionText: ['GET', '/apis/{api}/revisions/{revision}/text', 'nothing', 'text'],
  getRollout: ['GET', '/rollouts/{rollout}', 'nothing', 'json'],
  getRolloutEvidence: ['GET', '/rollouts/{rollout}/evidence', 'nothing', 'json'],
  getRulebook: ['GET', '/rulebook', 'nothing', 'list'],
  getRulebookDraft: ['GET', '/rulebooks/{rulebook}', 'nothing', 'json'],
  getRulebookSchema: ['GET', '/rulebook-schema', 'nothing', 'text'],
  getSchema: ['GET', '/apis/{api}/revisions/{revision}/schemas/{schema}', 'nothing', 'json'],
  getSelf: ['GET', '/self', 'nothing', 'json'],
  getSettings: ['GET', '/settings', 'nothing', 'json'],
  getShell: ['GET', '/shell', 'nothing', 'json'],
  getSurroundings: ['GET', '/apis/{api}/surroundings', 'nothing', 'json'],
  getTraffic: ['GET', '/traffic', 'nothing', 'list'],
  getWebhook: ['GET', '/apis/{api}/revisions/{revision}/webhooks/{webhook}', 'nothing', 'json'],
  invitePerson: ['POST', '/people/{person}/invitation', 'nothing', 'json'],
  issueKey: ['POST', '/placements/{placement}/keys', 'json', 'json'],
  issueProbeKey: ['POST', '/placements/{placement}/probe-key', 'nothing', 'nothing'],
  keepRunning: ['POST', '/placements/{placement}/keep', 'nothing', 'json'],
  listAlerts: ['GET', '/alerts', 'nothing', 'list'],
  listApis: ['GET', '/apis', 'nothing', 'list'],
  listBodySamples: [
    'GET',
    '/apis/{api}/revisions/{revision}/operations/{operation}/body-samples',
    'nothing',
    'list',
  ],
  listComparisonChanges: ['GET', '/comparisons/{comparison}/changes', 'nothing', 'list'],
  listDrift: ['GET', '/differences', 'nothing', 'list'],
  listDriftReactions: ['GET', '/drift-reactions', 'nothing', 'list'],
  listEditions: ['GET', '/editions', 'nothing', 'list'],
  listEndings: ['GET', '/endings', 'nothing', 'list'],
  listEvidenceSources: ['GET', '/evidence-sources', 'nothing', 'list'],
  listFindings: ['GET', '/findings', 'nothing', 'list'],
  listFindingsAtPlacements: ['GET', '/findings/placements', 'nothing', 'list'],
  listGatewayGroups: ['GET', '/gateway-groups', 'nothing', 'list'],
  listGatewayRoutes: ['GET', '/gateways/{gateway}/routes', 'nothing', 'list'],
  listGateways: ['GET', '/gateways', 'nothing', 'list'],
  listHosts: ['GET', '/hosts', 'nothing', 'list'],
  listImpactPlaces: ['GET', '/impacts/{impact}/places', 'nothing', 'list'],
  listLedgerEntries: ['GET', '/ledger', 'nothing', 'list'],
  listLedgerHeads: ['GET', '/ledger/heads', 'nothing', 'list'],
  listMatches: ['GET', '/search', 'nothing', 'list'],
  listOutsideResults: ['GET', '/outside-results', 'nothing', 'list'],
  listPeople: ['GET', '/people', 'nothing', 'list'],
  listPipelines: ['GET', '/pipelines', 'nothing', 'list'],
  listPlacementCallers: ['GET', '/placements/{placement}/callers', 'nothing', 'list'],
  listPlacementFindings: ['GET', '/placements/{placement}/findings', 'nothing', 'list'],
  listPlacements: ['GET', '/placements', 'nothing', 'list'],
  listPolicyChanges: ['GET', '/policy-changes', 'nothing', 'list'],
  listPolicyScopes: ['GET', '/policy-scopes', 'nothing', 'list'],
  listProbeRuns: ['GET', '/probes/{probe}/runs', 'nothing', 'list'],
  listProbes: ['GET', '/apis/{api}/probes', 'nothing', 'list'],
  listPromotionCallers: ['GET', '/promotions/{promotion}/callers', 'nothing', 'list'],
  listPromotions: ['GET', '/promotions', 'nothing', 'list'],
  listProposals: ['GET', '/proposals', 'nothing', 'list'],
  listProposedTexts: ['GET', '/proposals/{proposal}/texts', 'nothing', 'list'],
  listReleases: ['GET', '/releases', 'nothing', 'list'],
  listRepositories: ['GET', '/repositories', 'nothing', 'list'],
  listRepositoryJobLines: ['GET', '/repository-jobs/{job}/lines', 'nothing', 'list'],
  listRepositoryJobs: ['GET', '/repository-jobs', 'nothing', 'list'],
  listRequests: ['GET', '/requests', 'nothing', 'list'],
  listResources: ['GET', '/resources', 'nothing', 'list'],
  listRevisions: ['GET', '/apis/{api}/revisions', 'nothing', 'list'],
  listRollouts: ['GET', '/rollouts', 'nothing', 'list'],
  listRulebooks: ['GET', '/rulebooks', 'nothing', 'list'],
  listSessions: ['GET', '/self/sessions', 'nothing', 'list'],
  listStages: ['GET', '/stages', 'nothing', 'list'],
  listTasks: ['GET', '/tasks', 'nothing', 'list'],
  listTokens: ['GET', '/tokens', 'nothing', 'list'],
  listWaivers: ['GET', '/waivers', 'nothing', 'list'],
  movePipelineFirst: ['POST', '/pipelines/{pipeline}/first', 'nothing', 'json'],
  pauseRollout: ['POST', '/rollouts/{rollout}/pause', 'nothing', 'json'],
  previewPolicyChange: ['GET', '/policy-changes/{change}/preview', 'nothing', 'json'],
  previewPolicyScope: ['POST', '/policy-scopes/{scope}/preview', 'json', 'json'],
  promoteRelease: ['POST', '/releases/{release}/promote', 'nothing', 'json'],
  promoteVersion: ['POST', '/promotions/{promotion}/promote', 'nothing', 'json'],
  publishEdition: ['POST', '/rulebooks/{rulebook}/editions', 'json', 'json'],
  publishPipeline: ['PUT', '/pipelines/{pipeline}', 'json', 'json'],
  putLedgerBack: ['POST', '/placements/{placement}/put-back', 'nothing', 'json'],
  readGateway: ['POST', '/gateways/{gateway}/read', 'nothing', 'json'],
  readGatewaySecret: ['POST', '/gateways/{gateway}/secret', 'nothing', 'json'],
  readRepositoryBranches: ['POST', '/repositories/{repository}/readings', 'nothing', 'json'],
  removeAlert: ['DELETE', '/alerts/{alert}', 'nothing', 'nothing'],
  removeEvidenceSource: ['DELETE', '/evidence-sources/{source}', 'nothing', 'nothing'],
  removeFromRelease: ['DELETE', '/releases/{release}/promotions/{promotion}', 'nothing', 'nothing'],
  removeGateway: ['DELETE', '/gateways/{gateway}', 'nothing', 'nothing'],
  removeHost: ['DELETE', '/hosts/{host}', 'nothing', 'nothing'],
  removePipeline: ['DELETE', '/pipelines/{pipeline}', 'nothing', 'nothing'],
  removePlacement: ['DELETE', '/placements/{placement}', 'nothing', 'nothing'],
  removeProbe: ['DELETE', '/probes/{probe}', 'nothing', 'nothing'],
  removeRepository: ['DELETE', '/repositories/{repository}', 'nothing', 'nothing'],
  removeResource: ['DELETE', '/resources/{kind}/{resource}', 'nothing', 'json'],
  renewRepositorySecret: ['POST', '/repositories/{repository}/secrets', 'nothing', 'json'],
  replaceRulebookDraft: ['PUT', '/rulebooks/{rulebook}', 'json', 'json'],
  requestChange: ['POST', '/placements/{placement}/requests', 'json', 'json'],
  requestPolicyChange: ['POST', '/policy-changes', 'json', 'json'],
  requestPromotion: ['POST', '/promotions', 'json', 'json'],
  restorePlacement: ['POST', '/placements/{placement}/rollback', 'json', 'json'],
  resumeRollout: ['POST', '/rollouts/{rollout}/resume', 'nothing', 'json'],
  retryRepositoryJob: ['POST', '/repository-jobs/{job}/repeat', 'nothing', 'json'],
  runProbe: ['POST', '/probes/{probe}/runs', 'json', 'list'],
  saveRevision: ['POST', '/apis/{api}/revisions', 'text', 'json'],
  searchComments: ['POST', '/findings/comments', 'json', 'list'],
  sendEndingAnnouncement: ['POST', '/placements/{placement}/announcements', 'json', 'list'],
  sendPromotionAnnouncement: ['POST', '/promotions/{promotion}/announcements', 'json', 'list'],
  sendRequest: ['POST', '/requests', 'json', 'json'],
  setDriftReaction: ['PUT', '/drift-reactions/{group}/{stage}', 'json', 'json'],
  skipApproval: ['POST', '/promotions/{promotion}/override', 'json', 'json'],
  stopImpact: ['DELETE', '/impacts/{impact}', 'nothing', 'nothing'],
  takeRouteOff: ['POST', '/differences/{difference}/take-off', 'nothing', 'json'],
  testAlert: ['POST', '/alerts/{alert}/test', 'nothing', 'json'],
  testGateway: ['POST', '/gateway-tests', 'json', 'json'],
  testNotifications: ['POST', '/notifications/test', 'nothing', 'json'],
  testSignOn: ['POST', '/sign-on-tests', 'json', 'json'],
  updateAlert: ['PUT', '/alerts/{alert}', 'json', 'json'],
  updateApi: ['PATCH', '/apis/{api}', 'json', 'json'],
  updateFindings: ['POST', '/findings/acts', 'json', 'json'],
  updateGateway: ['PUT', '/gateways/{gateway}', 'json', 'nothing'],
  updateGatewayGroup: ['PUT', '/gateway-groups/{group}', 'json', 'nothing'],
  updateHost: ['PUT', '/hosts/{host}', 'json', 'nothing'],
  updateKeyContact: ['PUT', '/placements/{placement}/keys/{key}/contact', 'json', 'nothing'],
  updateNotifications: ['PUT', '/notifications', 'json', 'json'],
  updateOrganisation: ['PUT', '/organisation', 'json', 'nothing'],
  updatePlacement: ['PUT', '/placements/{placement}', 'json', 'json'],
  updatePolicyScope: ['PUT', '/policy-scopes/{scope}', 'json', 'json'],
  updateProbe: ['PUT', '/probes/{probe}', 'json', 'json'],
  updatePublicAddress: ['PUT', '/settings/public-address', 'json', 'nothing'],
  updateRepository: ['PUT', '/repositories/{repository}', 'json', 'json'],
  updateResource: ['PUT', '/resources/{kind}/{resource}', 'json', 'json'],
  updateRetention: ['PUT', '/settings/retention', 'json', 'nothing'],
  updateRulebook: ['PATCH', '/rulebooks/{rulebook}', 'json', 'json'],
  updateSignIn: ['PUT', '/settings/sign-in', 'json', 'nothing'],
  updateStages: ['PUT', '/stages', 'json', 'nothing'],
  uploadSnapshot: ['PUT', '/gateways/{gateway}/snapshot', 'json', 'json'],
  verifyLedger: ['POST', '/ledger/verify', 'nothing', 'json'],
  withdrawKey: ['DELETE', '/placements/{placement}/keys/{key}', 'nothing', 'nothing'],
  withdrawPolicyChange: ['DELETE', '/policy-changes/{change}', 'nothing', 'json'],
  withdrawPromotion: ['POST', '/promotions/{promotion}/withdraw', 'nothing', 'json'],
  withdrawProposal: ['DELETE', '/proposals/{proposal}', 'nothing', 'nothing'],
  withdrawWaiver: ['DELETE', '/waivers/{waiver}', 'nothing', 'nothing'],
} as const satisfies Record<string, Route>

/** Every operation: the parameters of its path, its query, its body and its response. */
export interface Calls {
  acceptBatch: Call<'batch', undefined, BatchAcceptance, Batch>
  acceptDrift: Call<'difference', undefined, DriftAcceptance, DriftDetail>
  acceptIntake: Call<'intake', undefined, Acceptance, Saved>
  acceptInvitation: Call<never, undefined, PasswordChoice, InvitationTaken>
  acceptProposal: Call<'proposal', undefined, ProposalDecision, ProposalOutcome>
  addPerson: Call<never, undefined, PersonStart, Invitation>
  approveGateWaiver: Call<'promotion' | 'gate', undefined, undefined, PromotionDetail>
  approvePolicyChange: Call<'change', undefined, PolicyApproval, PolicyChangeItem>
  approvePromotion: Call<'promotion', undefined, Approval, PromotionDetail>
  approveRelease: Call<'release', undefined, ReleaseApproval, ReleaseDetail>
  approveWaiver: Call<'waiver', undefined, WaiverDecision, undefined>
  cancelBatch: Call<'batch', undefined, undefined, Batch>
  cancelRelease: Call<'release', undefined, undefined, undefined>
  cancelRepositoryJob: Call<'job', undefined, undefined, RepositoryJob>
  cancelRollout: Call<'rollout', undefined, undefined, RolloutItem>
  changeByHand: Call<'placement', undefined, HandEdit, PlacementDetail>
  changePassword: Call<never, undefined, NewPassword, undefined>
  changePerson: Call<'person', undefined, PersonChange, undefined>
  checkPipeline: Call<never, undefined, PipelineDraft, PipelineImpact>
  checkPlacement: Call<never, undefined, PlacementCheck, PlacementFindings>
  checkResources: Call<never, undefined, ResourcePlanRequest, ResourcePlan>
  checkStages: Call<never, undefined, StageList, StagesImpact>
  confirmOverride: Call<'promotion', undefined, undefined, PromotionDetail>
  connectRepository: Call<never, undefined, RepositoryRequest, IssuedRepository>
  convertRevision: Call<'api' | 'revision', undefined, ConversionRequest, Converted>
  createAlert: Call<never, undefined, AlertChange, IssuedAlert>
  createBaseline: Call<'api', undefined, undefined, ActResult>
  createBatch: Call<never, BatchQuery, string | Blob, Batch>
  createBatchFromAddresses: Call<never, undefined, AddressBatch, Batch>
  createCheck: Call<never, CheckQuery, string | Blob, CheckItem>
  createComparison: Call<never, undefined, ComparisonRequest, ComparisonItem>
  createEvidenceSource: Call<never, undefined, EvidenceSourceRequest, IssuedEvidenceSource>
  createFileComparison: Call<never, FileComparisonQuery, string | Blob, ComparisonItem>
  createGateWaiver: Call<'promotion', undefined, GateWaiverRequest, PromotionDetail>
  createImpact: Call<'rulebook', undefined, ImpactStart, ImpactItem>
  createIntake: Call<never, IntakeQuery, string | Blob, Intake>
  createIntakeFromAddress: Call<never, undefined, AddressIntake, Intake>
  createIntakeReferences: Call<'intake', undefined, undefined, Intake>
  createOutsideResult: Call<'source', undefined, string | Blob, OutsideResultTaken>
  createPipeline: Call<never, undefined, PipelineChange, PipelineDetail>
  createPlacement: Call<never, undefined, PlacementRequest, PlacementDetail | RolloutItem>
  createProbe: Call<'api', undefined, ProbeBody, ProbeItem>
  createProposals: Call<'rule', undefined, ProposalStart, ProposalCount>
  createRelease: Call<never, undefined, ReleaseRequest, ReleaseDetail>
  createRepositoryDelivery: Call<'repository', undefined, string | Blob, DeliveryTaken>
  createRulebook: Call<never, undefined, NewRulebook, RulebookDraft>
  createSession: Call<never, undefined, undefined, Person>
  createSetup: Call<never, undefined, SetupStart, InvitationTaken>
  createToken: Call<never, undefined, NewToken, IssuedToken>
  createWaiver: Call<never, undefined, WaiverRequest, undefined>
  deleteSession: Call<never, undefined, undefined, undefined>
  deleteToken: Call<'token', undefined, undefined, undefined>
  endDriftAcceptance: Call<'difference', undefined, undefined, undefined>
  endSession: Call<'session', undefined, undefined, undefined>
  exportLedger: Call<never, undefined, undefined, string>
  exportTraffic: Call<never, TrafficQuery, undefined, string>
  getApi: Call<'api', undefined, undefined, ApiDetail>
  getArchive: Call<'api' | 'revision', undefined, undefined, string>
  getBatch: Call<'batch', undefined, undefined, Batch>
  getCheck: Call<'check', undefined, undefined, CheckItem>
  getCheckReport: Call<'check', ReportQuery, undefined, string>
  getComparison: Call<'comparison', undefined, undefined, ComparisonItem>
  getComparisonChange: Call<'comparison' | 'change', undefined, undefined, ComparisonChangeDetail>
  getComparisonReport: Call<'comparison', ComparisonReportQuery, undefined, string>
  getConsistencyProof: Call<never, ConsistencyQuery, undefined, ConsistencyProof>
  getDefinition: Call<never, undefined, undefined, string>
  getDictionary: Call<never, undefined, undefined, string>
  getDrift: Call<'difference', undefined, undefined, DriftDetail>
  getDriftMonth: Call<never, DriftMonthQuery, undefined, DriftMonth>
  getEditionText: Call<'edition', undefined, undefined, string>
  getEstateFindings: Call<never, undefined, undefined, EstateFindings>
  getGatewayHealth: Call<'gateway', undefined, undefined, GatewayHealth>
  getGatewayIntent: Call<'gateway', undefined, undefined, string>
  getImpact: Call<'impact', undefined, undefined, ImpactItem>
  getInclusionProof: Call<'entry', ProofQuery, undefined, InclusionProof>
  getIntake: Call<'intake', undefined, undefined, Intake>
  getIntakeText: Call<'intake', undefined, undefined, string>
  getLedgerKey: Call<never, undefined, undefined, string>
  getNotifications: Call<never, undefined, undefined, NotificationItem>
  getOperation: Call<'api' | 'revision' | 'operation', undefined, undefined, OperationReading>
  getPipeline: Call<'pipeline', undefined, undefined, PipelineDetail>
  getPipelineSchema: Call<never, undefined, undefined, string>
  getPlacement: Call<'placement', undefined, undefined, PlacementDetail>
  getPlacementDraft: Call<'api', DraftQuery, undefined, PlacementDraft>
  getPolicyChange: Call<'change', undefined, undefined, PolicyChangeItem>
  getPolicyScope: Call<'scope', undefined, undefined, PolicyScopeItem>
  getProbeDraft: Call<'api', undefined, undefined, ProbeDraft>
  getPromotion: Call<'promotion', undefined, undefined, PromotionDetail>
  getPromotionEvidence: Call<'promotion', undefined, undefined, EvidenceItem>
  getRelease: Call<'release', undefined, undefined, ReleaseDetail>
  getRepository: Call<'repository', undefined, undefined, RepositoryItem>
  getRepositoryJob: Call<'job', undefined, undefined, RepositoryJob>
  getRequest: Call<'request', undefined, undefined, RequestDetail>
  getResourceSchema: Call<never, undefined, undefined, string>
  getRevision: Call<'api' | 'revision', undefined, undefined, RevisionDetail>
  getRevisionText: Call<'api' | 'revision', FileQuery, undefined, string>
  getRollout: Call<'rollout', undefined, undefined, RolloutItem>
  getRolloutEvidence: Call<'rollout', undefined, undefined, EvidenceItem>
  getRulebook: Call<never, RulebookQuery, undefined, Rulebook>
  getRulebookDraft: Call<'rulebook', undefined, undefined, RulebookDraft>
  getRulebookSchema: Call<never, undefined, undefined, string>
  getSchema: Call<'api' | 'revision' | 'schema', undefined, undefined, SchemaReading>
  getSelf: Call<never, undefined, undefined, Person>
  getSettings: Call<never, undefined, undefined, SettingsItem>
  getShell: Call<never, undefined, undefined, Shell>
  getSurroundings: Call<'api', undefined, undefined, SurroundingsItem>
  getTraffic: Call<never, TrafficQuery, undefined, TrafficPage>
  getWebhook: Call<'api' | 'revision' | 'webhook', undefined, undefined, OperationReading>
  invitePerson: Call<'person', undefined, undefined, Invitation>
  issueKey: Call<'placement', undefined, KeyRequest, IssuedKey>
  issueProbeKey: Call<'placement', undefined, undefined, undefined>
  keepRunning: Call<'placement', undefined, undefined, PlacementDetail | RolloutItem>
  listAlerts: Call<never, PageQuery, undefined, Page<AlertItem>>
  listApis: Call<never, PageQuery, undefined, RegisterPage>
  listBodySamples: Call<'api' | 'revision' | 'operation', PageQuery, undefined, Page<BodySample>>
  listComparisonChanges: Call<
    'comparison',
    ComparisonChangesQuery,
    undefined,
    Page<ComparisonChange>
  >
  listDrift: Call<never, DriftQuery, undefined, Page<DriftItem>>
  listDriftReactions: Call<never, PageQuery, undefined, Page<ReactionItem>>
  listEditions: Call<never, PageQuery, undefined, Page<EditionItem>>
  listEndings: Call<never, EndingQuery, undefined, Page<EndingItem>>
  listEvidenceSources: Call<never, PageQuery, undefined, Page<EvidenceSourceItem>>
  listFindings: Call<never, FindingQuery, undefined, Page<FindingItem>>
  listFindingsAtPlacements: Call<never, PlacementFindingQuery, undefined, PlacementFindingPage>
  listGatewayGroups: Call<never, PageQuery, undefined, Page<GroupItem>>
  listGatewayRoutes: Call<'gateway', RoutesQuery, undefined, Page<RunningRouteItem>>
  listGateways: Call<never, PageQuery, undefined, Page<GatewayItem>>
  listHosts: Call<never, PageQuery, undefined, Page<HostItem>>
  listImpactPlaces: Call<'impact', ImpactQuery, undefined, Page<ImpactPlace>>
  listLedgerEntries: Call<never, LedgerQuery, undefined, Page<LedgerEntry>>
  listLedgerHeads: Call<never, PageQuery, undefined, Page<SignedHeadItem>>
  listMatches: Call<never, SearchQuery, undefined, SearchPage>
  listOutsideResults: Call<never, OutsideResultQuery, undefined, Page<OutsideResultItem>>
  listPeople: Call<never, PageQuery, undefined, Page<MemberItem>>
  listPipelines: Call<never, PageQuery, undefined, Page<PipelineItem>>
  listPlacementCallers: Call<'placement', PageQuery, undefined, Page<CallerItem>>
  listPlacementFindings: Call<'placement', PageQuery, undefined, Page<PlacementFinding>>
  listPlacements: Call<never, PlacementQuery, undefined, Page<PlacementItem>>
  listPolicyChanges: Call<never, PolicyChangeQuery, undefined, Page<PolicyChangeItem>>
  listPolicyScopes: Call<never, PageQuery, undefined, Page<PolicyScopeItem>>
  listProbeRuns: Call<'probe', ProbeRunQuery, undefined, Page<ProbeRunItem>>
  listProbes: Call<'api', PageQuery, undefined, Page<ProbeItem>>
  listPromotionCallers: Call<'promotion', PageQuery, undefined, Page<CallerItem>>
  listPromotions: Call<never, PromotionQuery, undefined, Page<PromotionItem>>
  listProposals: Call<never, ProposalQuery, undefined, Page<ProposalItem>>
  listProposedTexts: Call<'proposal', PageQuery, undefined, Page<ProposedText>>
  listReleases: Call<never, ReleaseQuery, undefined, Page<ReleaseItem>>
  listRepositories: Call<never, PageQuery, undefined, Page<RepositoryItem>>
  listRepositoryJobLines: Call<'job', JobLineQuery, undefined, Page<JobLine>>
  listRepositoryJobs: Call<never, JobQuery, undefined, Page<RepositoryJob>>
  listRequests: Call<never, RequestQuery, undefined, Page<RequestItem>>
  listResources: Call<never, ResourceQuery, undefined, Page<ResourceItem>>
  listRevisions: Call<'api', PageQuery, undefined, Page<RevisionItem>>
  listRollouts: Call<never, RolloutQuery, undefined, Page<RolloutItem>>
  listRulebooks: Call<never, PageQuery, undefined, Page<RulebookDraft>>
  listSessions: Call<never, PageQuery, undefined, Page<SessionItem>>
  listStages: Call<never, PageQuery, undefined, Page<StageItem>>
  listTasks: Call<never, TaskQuery, undefined, Page<TaskItem>>
  listTokens: Call<never, PageQuery, undefined, Page<TokenItem>>
  listWaivers: Call<never, WaiverQuery, undefined, Page<WaiverItem>>
  movePipelineFirst: Call<'pipeline', undefined, undefined, PipelineDetail>
  pauseRollout: Call<'rollout', undefined, undefined, RolloutItem>
  previewPolicyChange: Call<'change', undefined, undefined, PolicyPreview>
  previewPolicyScope: Call<'scope', undefined, PolicyScopeBody, PolicyPreview>
  promoteRelease: Call<'release', undefined, undefined, ReleaseDetail>
  promoteVersion: Call<'promotion', undefined, undefined, PromotionDetail>
  publishEdition: Call<'rulebook', undefined, Publication, EditionItem>
  publishPipeline: Call<'pipeline', undefined, PipelineChange, PipelineDetail>
  putLedgerBack: Call<'placement', undefined, undefined, PlacementDetail | RolloutItem>
  readGateway: Call<'gateway', undefined, undefined, GatewayItem>
  readGatewaySecret: Call<'gateway', undefined, undefined, IssuedGatewaySecret>
  readRepositoryBranches: Call<'repository', undefined, undefined, RepositoryItem>
  removeAlert: Call<'alert', undefined, undefined, undefined>
  removeEvidenceSource: Call<'source', undefined, undefined, undefined>
  removeFromRelease: Call<'release' | 'promotion', undefined, undefined, undefined>
  removeGateway: Call<'gateway', undefined, undefined, undefined>
  removeHost: Call<'host', undefined, undefined, undefined>
  removePipeline: Call<'pipeline', undefined, undefined, undefined>
  removePlacement: Call<'placement', undefined, undefined, undefined | RolloutItem>
  removeProbe: Call<'probe', undefined, undefined, undefined>
  removeRepository: Call<'repository', undefined, undefined, undefined>
  removeResource: Call<'kind' | 'resource', ResourceRemoval, undefined, AppliedResource>
  renewRepositorySecret: Call<'repository', undefined, undefined, IssuedRepository>
  replaceRulebookDraft: Call<'rulebook', undefined, RulebookText, RulebookDraft>
  requestChange: Call<'placement', undefined, ChangeRequest, PromotionDetail>
  requestPolicyChange: Call<never, undefined, PolicyChangeRequest, PolicyChangeItem>
  requestPromotion: Call<never, undefined, PromotionRequest, PromotionDetail>
  restorePlacement: Call<'placement', undefined, Rollback, PlacementDetail | RolloutItem>
  resumeRollout: Call<'rollout', undefined, undefined, RolloutItem>
  retryRepositoryJob: Call<'job', undefined, undefined, RepositoryJob>
  runProbe: Call<'probe', undefined, ProbeRunRequest, Page<ProbeRunItem>>
  saveRevision: Call<'api', SaveQuery, string | Blob, Saved>
  searchComments: Call<never, undefined, FindingKey, Page<CommentItem>>
  sendEndingAnnouncement: Call<'placement', undefined, AnnouncementRequest, Page<CallerItem>>
  sendPromotionAnnouncement: Call<'promotion', undefined, AnnouncementRequest, Page<CallerItem>>
  sendRequest: Call<never, undefined, DeskRequest, DeskResponse>
  setDriftReaction: Call<'group' | 'stage', undefined, ReactionChange, ReactionItem>
  skipApproval: Call<'promotion', undefined, Override, PromotionDetail>
  stopImpact: Call<'impact', undefined, undefined, undefined>
  takeRouteOff: Call<'difference', undefined, undefined, DriftDetail | RolloutItem>
  testAlert: Call<'alert', undefined, undefined, AlertItem>
  testGateway: Call<never, undefined, GatewayChange, GatewayTest>
  testNotifications: Call<never, undefined, undefined, NotificationItem>
  testSignOn: Call<never, undefined, SignOnChange, SignOnTest>
  updateAlert: Call<'alert', undefined, AlertChange, AlertItem>
  updateApi: Call<'api', undefined, ApiChange, ApiDetail>
  updateFindings: Call<never, undefined, FindingAct, ActResult>
  updateGateway: Call<'gateway', undefined, GatewayChange, undefined>
  updateGatewayGroup: Call<'group', undefined, GroupChange, undefined>
  updateHost: Call<'host', undefined, HostChange, undefined>
  updateKeyContact: Call<'placement' | 'key', undefined, KeyContactChange, undefined>
  updateNotifications: Call<never, undefined, NotificationChange, IssuedNotification>
  updateOrganisation: Call<never, undefined, OrganisationChange, undefined>
  updatePlacement: Call<'placement', undefined, SpecBody, PlacementDetail | RolloutItem>
  updatePolicyScope: Call<'scope', undefined, PolicyScopeBody, PolicyScopeItem | RolloutItem>
  updateProbe: Call<'probe', undefined, ProbeBody, ProbeItem>
  updatePublicAddress: Call<never, undefined, PublicAddress, undefined>
  updateRepository: Call<'repository', undefined, RepositoryRequest, RepositoryItem>
  updateResource: Call<'kind' | 'resource', undefined, ResourceChangeRequest, AppliedResource>
  updateRetention: Call<never, undefined, Retention, undefined>
  updateRulebook: Call<'rulebook', undefined, RulebookSettings, RulebookDraft>
  updateSignIn: Call<never, undefined, SignInChange, undefined>
  updateStages: Call<never, undefined, StageList, undefined>
  uploadSnapshot: Call<'gateway', undefined, SnapshotUpload, GatewayItem>
  verifyLedger: Call<never, undefined, undefined, Verification>
  withdrawKey: Call<'placement' | 'key', undefined, undefined, undefined | RolloutItem>
  withdrawPolicyChange: Call<'change', undefined, undefined, PolicyChangeItem>
  withdrawPromotion: Call<'promotion', undefined, undefined, PromotionDetail>
  withdrawProposal: Call<'proposal', undefined, undefined, undefined>
  withdrawWaiver: Call<'waiver', undefined, undefined, undefined>
}

import type { PolicyName } from './policies'
import { policyNames } from './policies'

/** A kind of gateway: how it is read and written, and what of a placement it can do. */
export interface GatewayKind {
  title: string
  says: string
  /** Whether the ledger writes it; otherwise nothing is placed there. */
  isWritten: boolean
  /** Whether it is written as a whole, so that what somebody else put there can be taken away. */
  isWhole: boolean
  /** Kinds of policy that it enforces. */
  enforces: readonly PolicyName[]
  /** What it does beside policies. */
  mocks: boolean
  soap: boolean
  /** Whether it tells callers of deprecation and sunset. */
  lifecycle: boolean
  /** Whether it has a part of the callers get another version at the same address. */
  portions: boolean
}

export const gatewayKindNames = ['admin-api', 'files', 'uploaded'] as const

export type GatewayKindName = (typeof gatewayKindNames)[number]

/** What is said by Gateway API’s own means, standard channel (v1). */
const native: PolicyName[] = [
  'transport',
  'rewrite',
  'requestHeaders',
  'timeout',
  'cors',
  'responseHeaders',
]

export const gatewayKinds: Record<GatewayKindName, GatewayKind> = {
  'admin-api': {
    title: 'Admin API',
    says: 'Read and written over its admin API; runs all policies.',
    isWritten: true,
    isWhole: true,
    enforces: policyNames,
    mocks: true,
    soap: true,
    lifecycle: true,
    portions: true,
  },
  files: {
    title: 'Files',
    says: 'A cluster that is fed from a folder or a git repository of Gateway API resources.',
    isWritten: true,
    isWhole: false,
    enforces: native,
    mocks: false,
    soap: false,
    lifecycle: false,
    portions: false,
  },
  uploaded: {
    title: 'Uploaded',
    says: 'What somebody’s cluster runs, as it was printed there and uploaded; read only.',
    isWritten: false,
    isWhole: false,
    enforces: [],
    mocks: false,
    soap: false,
    lifecycle: false,
    portions: false,
  },
}

import fs, { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import git from 'isomorphic-git'

/** What the operators of the treatment works wrote before there was a ledger. */
const byHand = `# Written by the operators of the treatment works.
apiVersion: gateway.networking.k8s.io/v1
kind: HTTPRoute
metadata:
  name: filter-rounds
spec:
  parentRefs: [{ name: works }]
  hostnames: [inner.brackenmere.example]
  rules:
    - matches: [{ path: { type: PathPrefix, value: /filters }, method: GET }]
      backendRefs: [{ name: filter-rounds, port: 8080 }]
      timeouts: { request: 10s }
    - matches: [{ path: { type: Exact, value: /backwash }, method: POST }]
      filters:
        - { type: RequestMirror, requestMirror: { backendRef: { name: backwash-log, port: 80 } } }
      backendRefs: [{ name: backwash, port: 8080 }]
`

/** A git repository that a cluster is fed from. */
export async function makeCluster(folder: string): Promise<void> {
  mkdirSync(folder, { recursive: true })
  writeFileSync(join(folder, 'filter-rounds.yaml'), byHand)
  await git.init({ fs, dir: folder, defaultBranch: 'main' })
  await git.add({ fs, dir: folder, filepath: 'filter-rounds.yaml' })
  await git.commit({
    ...{ fs, dir: folder, message: 'Routes of the filters' },
    author: { name: 'Treatment works', email: 'works@brackenmere.example' },
  })
}

/** What the contractor of the sewage works printed of theirs. */
export const printed = `apiVersion: v1
kind: List
items:
  - apiVersion: gateway.networking.k8s.io/v1
    kind: Gateway
    metadata: { name: outfall, namespace: edge, uid: 5f1c }
    spec:
      listeners: [{ name: secure, protocol: HTTPS, port: 443, hostname: outfall.brackenmere.example }]
  - apiVersion: gateway.networking.k8s.io/v1
    kind: HTTPRoute
    metadata: { name: overflow, namespace: outfall, resourceVersion: '4411' }
    spec:
      parentRefs: [{ name: outfall, namespace: edge, sectionName: secure }]
      rules:
        - matches: [{ path: { type: PathPrefix, value: /overflows } }]
          backendRefs: [{ name: overflow, port: 8080, weight: 1 }]
  - apiVersion: limits.contractor.example/v1
    kind: Throttle
    metadata: { name: overflow, namespace: outfall }
    spec: { targetRefs: [{ kind: HTTPRoute, name: overflow }], perSecond: 20 }
`

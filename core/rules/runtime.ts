import type { Contract } from '../contract/model'
import { weightOf } from './binding'
import { judge, prepare, type CheckResult } from './engine'
import { Subjects, type Frames } from './facts/collect'
import { listIn, type Fact } from './facts/fact'
import { placementFact, type PlacementNode } from './facts/runtime'
import {
  emptyEstate,
  isRuntimeKind,
  type Circumstances,
  type Edition,
  type Finding,
  type Rule,
  type SubjectKind,
} from './model'

/** One thing at a placement that breaks a rule. */
export interface RuntimeFinding extends Pick<
  Finding,
  'rule' | 'level' | 'becomes' | 'since' | 'message' | 'key'
> {
  about: SubjectKind
  /** What it is found at: `GET /levels`, `cors`, `main`; empty for the placement as a whole. */
  subject: string
}

/** Placements stand beside definitions: rules about them ask no contract. */
const noContract: Contract = {
  format: { name: 'OpenAPI', version: '3.1.0' },
  title: '',
  version: '',
  servers: [],
  tags: [],
  paths: [],
  operations: [],
  webhooks: [],
  schemas: [],
  securitySchemes: [],
}

/** The facts of one placement by kind. */
class RuntimeSubjects implements Frames {
  readonly world
  private readonly placement: Fact
  private readonly fixed: unknown[]

  constructor(
    node: PlacementNode,
    circumstances: Circumstances,
    { domain, words }: Pick<Edition, 'domain' | 'words'>,
  ) {
    const around = new Subjects(noContract, { circumstances, domain, words, estate: emptyEstate })
    this.world = around.world
    this.placement = placementFact(node, this.world)
    this.fixed = [this.placement, ...around.known()]
  }

  each(kind: SubjectKind, visit: (fact: Fact) => boolean): void {
    const facts =
      kind === 'placement' ? [this.placement] : listIn(this.placement, lists[kind] ?? 'routes')
    facts.every(visit)
  }

  fill(frame: unknown[], _kind: SubjectKind, fact: Fact): void {
    for (let i = 0; i < this.fixed.length; i++) frame[i] = this.fixed[i]
    frame[this.fixed.length] = fact
  }
}

const lists: Partial<Record<SubjectKind, string>> = {
  route: 'routes',
  policy: 'policies',
  backend: 'backends',
  gateway: 'gateways',
}

export const isAboutRuntime = ({ about }: Pick<Rule, 'about'>) => isRuntimeKind(about)

/** Holds a placement, as it is or as somebody wants it, against the rules that speak about what runs. */
export function checkPlacement(
  node: PlacementNode,
  edition: Pick<Edition, 'rules' | 'domain' | 'words'>,
  circumstances: Circumstances,
): Omit<CheckResult, 'findings'> & { findings: RuntimeFinding[] } {
  const { ready, faults } = prepare(edition.rules.filter(isAboutRuntime))
  const subjects = new RuntimeSubjects(node, circumstances, edition)
  const findings: RuntimeFinding[] = []
  const found = [...faults]
  const reach = judge(ready, subjects).map(({ asked, broken, fault }, i) => {
    const { rule } = ready[i]!
    const weight = weightOf(rule, circumstances)
    for (const { fact, message } of broken)
      findings.push({
        rule: rule.id,
        ...weight,
        message,
        about: rule.about,
        subject: fact.own,
        key: `${rule.id}: ${node.stage} ${node.group} ${fact.key}`,
      })
    if (fault !== undefined) found.push({ rule: rule.id, message: fault })
    return { rule: rule.id, asked, broken: broken.length }
  })
  return { findings, faults: found, reach }
}

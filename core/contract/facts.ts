import type { Contract } from './model'
import { everyOperation, mediaOf } from './parts'

/** What can be counted in a contract: for an API's summary. */
export interface ContractFacts {
  operations: number
  deprecated: number
  webhooks: number
  callbacks: number
  parameters: number
  /** Responses, and how many of them carry an example. */
  responses: number
  exampled: number
  schemas: number
  securitySchemes: string[]
  mediaTypes: string[]
  soap: boolean
}

/** Counts a contract's parts. */
export function factsOf(contract: Contract): ContractFacts {
  const mediaTypes = new Set<string>()
  const facts: ContractFacts = {
    operations: contract.operations.length,
    deprecated: 0,
    webhooks: contract.webhooks.length,
    callbacks: 0,
    parameters: 0,
    responses: 0,
    exampled: 0,
    schemas: contract.schemas.filter(({ declared }) => declared).length,
    securitySchemes: contract.securitySchemes.map(({ name }) => name),
    mediaTypes: [],
    soap: contract.operations.some(({ soap }) => soap !== undefined),
  }
  for (const operation of everyOperation(contract)) {
    if (operation.deprecated) facts.deprecated++
    facts.callbacks += operation.callbacks.length
    facts.parameters += operation.parameters.length
    facts.responses += operation.responses.length
    for (const { content } of operation.responses) {
      if (content.some(({ examples }) => examples.length > 0)) facts.exampled++
    }
    for (const { type } of mediaOf(operation)) mediaTypes.add(type)
  }
  return { ...facts, mediaTypes: [...mediaTypes].slice(0, 30) }
}

import { describe, expect, it } from 'vitest'
import { examine } from '../../definition'
import { starterRules } from '../../rules/starter'

const edition = { number: 1, domain: 'brackenmere.example', rules: starterRules }
const text = `openapi: 3.1.0
info:
  title: Hydrants
  version: 1.0.0
  contact:
    name: Field
paths:
  /hydrant/{id}:
    get:
      operationId: hydrantGet
      parameters:
        - name: id
          in: path
          required: true
          schema: { type: string, default: H1 }
      responses:
        '200':
          description: ok
          content:
            application/json:
              schema: { $ref: '#/components/schemas/Hydrant' }
components:
  schemas:
    Hydrant:
      type: object
      properties:
        id: { type: string }
        flow_rate: { type: number }
    Unused: { type: string }
`
describe('a readable definition', () => {
  it('is examined', () => {
    const result = examine({ file: 'h.yaml', text }, edition, {
      audience: 'private',
      team: 'Field',
    })
    console.log(JSON.stringify(result, null, 1))
    expect(result.readable).toBe(true)
  })
})

import AxeBuilder from '@axe-core/playwright'
import { expect, type Page } from '@playwright/test'

export async function signIn(page: Page, name: string, to = '/') {
  await page.context().clearCookies()
  await page.goto(`/sign-in?to=${encodeURIComponent(to)}`)
  await page.getByLabel('Name').fill(name)
  await page.getByLabel('Password').fill('elm-demo-2026')
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('navigation', { name: 'Main' })).toBeVisible()
}

/** The page keeps WCAG 2.2 AA, as far as a machine can tell. */
export async function expectAccessible(page: Page) {
  const { violations } = await new AxeBuilder({ page })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa'])
    .exclude('.cm-editor')
    .analyze()
  expect(
    violations.map(
      ({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(' | ')}`,
    ),
  ).toEqual([])
}

/**
 * What was applied runs, as the page says: at once where the gateways are quick, on the page of its rollout where they take
 * their time.
 */
export const expectCarriedOut = (page: Page) =>
  expect(
    page.getByText(/Placed, loaded and confirmed|What was wanted is approved and runs/),
  ).toBeVisible()

/** An address of what does to the processes what fate does. */
export const control = (path: string) => `${process.env['ELM_CONTROL']}${path}`

/** Does to the processes what fate does. */
export const fate = async (
  act:
    | 'kill-worker'
    | 'stop-worker'
    | 'start-worker'
    | 'stop-gateways'
    | 'start-gateways'
    | 'restart-database'
    | 'edit-gateway',
) => {
  const answer = await fetch(`${process.env['ELM_CONTROL']}/${act}`)
  expect(answer.status).toBe(204)
}

export const margin = (page: Page) => page.getByRole('complementary', { name: 'Margin' })

/** A definition of the test's own, in the demo's world. */
export const hydrants = (version = '1.0.0', more = '') => `openapi: 3.1.0
info:
  title: Hydrant Checks
  version: ${version}
  description: Yearly checks of hydrants and what was found at each.
  contact:
    name: Field
    email: field@brackenmere.example
servers:
  - url: https://api.brackenmere.example/hydrant-checks/v1
security:
  - apiKey: []
tags:
  - name: Checks
    description: What was found at hydrants.
paths:
  /checks:
    get:
      operationId: listChecks
      summary: List checks
      description: Newest first.
      tags: [Checks]
      parameters:
        - { name: limit, in: query, description: How many at most., schema: { type: integer, maximum: 100, default: 20 } }
        - { name: cursor, in: query, description: Where to go on., schema: { type: string, maxLength: 200 } }
      responses:
        '200':
          description: A page of checks
          content:
            application/json:
              schema: { type: object, properties: { items: { type: array, items: { $ref: '#/components/schemas/Check' } } } }
              example: { items: [{ checkId: chk-1, flow: 1200 }] }
        '400': { $ref: '#/components/responses/Bad' }
        '401': { $ref: '#/components/responses/Bad' }
  /checks/{checkId}:
    get:
      operationId: getCheck
      summary: Read one check
      description: What was found at one hydrant.
      tags: [Checks]
      parameters:
        - { name: checkId, in: path, required: true, description: The check., schema: { type: string } }
      responses:
        '200':
          description: The check
          content:
            application/json:
              schema: { $ref: '#/components/schemas/Check' }
              example: { checkId: chk-1, flow: 1200 }
        '400': { $ref: '#/components/responses/Bad' }
        '401': { $ref: '#/components/responses/Bad' }
        '404': { $ref: '#/components/responses/Bad' }
components:
  securitySchemes:
    apiKey: { type: apiKey, in: header, name: X-Api-Key }
  responses:
    Bad:
      description: The request is not understood
      content: { application/problem+json: { schema: { $ref: '#/components/schemas/Problem' } } }
  schemas:
    Check:
      type: object
      properties:
        checkId: { type: string }
        flow: { type: number, description: Litres a minute. }
    Problem: { type: object, properties: { title: { type: string } } }
${more}`

/** A key for a placement, as an operator issues it. */
export const issue = (page: Page, placement: string, name: string) =>
  page.evaluate(
    async ([at, called]) => {
      const answer = await fetch(`/api/v1/placements/${at}/keys`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ name: called }),
      })
      return ((await answer.json()) as { secret: string }).secret
    },
    [placement, name],
  )

/** Sends the request on the desk, and waits for what came of it. */
export async function send(page: Page) {
  const answered = page.waitForResponse('**/api/v1/requests')
  await page.getByRole('button', { name: 'Send', exact: true }).click()
  await answered
}

import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

const host = () => `${process.env['ELM_STANDINS']}/git/meter-readings`
const repairs = (version: string) => `openapi: 3.1.0
info:
  title: Meter Repairs
  version: ${version}
  description: Repairs of meters, and who did them.
  contact: { name: Metering, email: metering@brackenmere.example }
servers:
  - url: https://api.brackenmere.example/meter-repairs/v1
paths:
  /repairs:
    get:
      operationId: listRepairs
      summary: List repairs
      responses: { '200': { description: Repairs } }
`

test('a repository is connected, and from then on a push is enough', async ({ page, request }) => {
  const pushed = await request.post(`${host()}/commits`, {
    form: {
      ...{ branch: 'repairs', path: 'repairs.yaml', text: repairs('1.0.0') },
      message: 'Describe repairs',
    },
  })
  expect(pushed.status()).toBe(200)
  await signIn(page, 'nadia', '/promotions/repositories')
  await expect(page.getByRole('cell', { name: /Meter readings/ })).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('link', { name: 'Connect a repository' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Meter repairs')
  await page.getByLabel('Address that git reads').fill(`${host()}.git`)
  await page.getByLabel('Name; * stands for anything').fill('repairs branch')
  await page.getByLabel('Main file').fill('repairs.yaml')
  const connect = page.getByRole('button', { name: 'Connect', exact: true })
  await connect.click()
  await expect(page.getByText('repairs branch is no name of a branch or tag')).toBeVisible()
  await page.getByLabel('Name; * stands for anything').fill('repairs')
  await expectAccessible(page)
  await connect.click()
  await expect(page.getByText(/whsec_/)).toBeVisible()
  await page.getByRole('link', { name: 'Go to the repository' }).click()
  await expect(page.getByText(/whsec_/)).toHaveCount(0)
  // What nobody has decided about is said, and is decided by hand once.
  await margin(page)
    .getByRole('link', { name: /failed/ })
    .click()
  await expect(page.getByText('Entered as a new API, meter-repairs, version 1.0.0')).toBeVisible()
  await expect(page.getByText(/GET \/repairs\. Route, mock or withhold/).first()).toBeVisible()
  await expectAccessible(page)
  const placed = await page.evaluate(async () => {
    const call = async (path: string, init?: RequestInit) => {
      const response = await fetch(`/api/v1${path}`, init)
      return (await response.json()) as { group: string; spec: { routes: object[] } }
    }
    const { spec, group } = await call('/apis/meter-repairs/placement-draft')
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } }))
    const body = { api: 'meter-repairs', version: '1.0.0', group, spec: { ...spec, routes } }
    const headers = { 'content-type': 'application/json' }
    return call('/placements', { method: 'POST', headers, body: JSON.stringify(body) })
  })
  expect(placed).toHaveProperty('id')
  await page.getByRole('button', { name: 'Do it once more' }).click()
  await expect(page.getByText('Meter Repairs 1.0.0 stands in Trial').first()).toBeVisible()
  await expect(page.getByText('done:')).toBeVisible()
  // A push, as the host's own page does it.
  await page.goto(`${host()}?branch=repairs&path=repairs.yaml`)
  const text = page.getByLabel('Text of repairs.yaml')
  await text.fill((await text.inputValue()).replace('1.0.0', '1.0.1'))
  await page.getByLabel('Message').fill('Repairs again')
  await page.getByRole('button', { name: 'Commit and push' }).click()
  await expect(
    page.getByRole('heading', { name: 'Webhook' }).or(page.getByText('Webhook')),
  ).toBeVisible()
  await page.goto('/promotions/repositories/meter-repairs')
  await page.getByRole('button', { name: 'Look for pushes now' }).click()
  await margin(page).getByText('Repairs again').click()
  await margin(page)
    .getByRole('link', { name: /waiting|running|done/ })
    .first()
    .click()
  await expect(page.getByText('Meter Repairs 1.0.1 is placed in Trial').first()).toBeVisible()
  await expect(margin(page).getByRole('link', { name: 'Revision 2, version 1.0.1' })).toBeVisible()
  await expect(margin(page).getByRole('link', { name: /^Rollout/ })).toBeVisible()
  await page.goto('/promotions/repositories/meter-repairs')
  await page.getByRole('button', { name: 'Disconnect …' }).click()
  await page.getByRole('button', { name: 'Yes, disconnect Meter repairs' }).click()
  await expect(page.getByRole('heading', { name: 'Promotions and changes' })).toBeVisible()
  await expect(page.getByRole('cell', { name: /Meter readings/ })).toBeVisible()
  await expect(page.getByText('Meter repairs')).toHaveCount(0)
})

test('a push to the repository of the demo is told by its webhook, and its commit how it fared', async ({
  page,
}) => {
  await signIn(page, 'nadia', '/promotions/repositories')
  await expect(page.getByText('Meter Readings 4.0.0 stands in Trial').first()).toBeVisible()
  await page.goto(`${host()}?branch=main&path=openapi.yaml`)
  const text = page.getByLabel('Text of openapi.yaml')
  await text.fill(`${await text.inputValue()}\n  - this is no YAML: [`)
  await page.getByLabel('Message').fill('Break it')
  await page.getByRole('button', { name: 'Commit and push' }).click()
  await expect(async () => {
    await page.reload()
    await expect(page.getByRole('link', { name: /^failure: / })).toBeVisible({ timeout: 1000 })
  }).toPass()
  await page.getByRole('link', { name: /^failure: / }).click()
  await expect(page.getByRole('heading', { name: 'Break it' })).toBeVisible()
  await expect(page.getByText(/^openapi.yaml:\d+:\d+ /).first()).toBeVisible()
  await expect(margin(page).getByText('Its commit is told: failure.')).toBeVisible()
})

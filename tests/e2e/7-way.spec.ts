import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn, expectCarriedOut } from './support'

test('the way of a placement says every step, where it comes from, and what runs differently', async ({
  page,
}) => {
  await signIn(page, 'oskar', '/placements/supply-interruptions-live-1')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('2.3.1 in Live')
  await expect(page.locator('.sentence')).toContainText(
    /\d policies come from outside this placement/,
  )
  await page.getByRole('button', { name: /Rate limit/ }).click()
  await expect(margin(page).locator('.difference')).toContainText('600 / minute')
  await page.getByRole('button', { name: /Request body/ }).click()
  await expect(margin(page)).toContainText('From gateway group edge')
  await expect(margin(page)).toContainText('It may be tightened here, not loosened.')
  await expectAccessible(page)
  await margin(page).getByRole('link', { name: 'Open where it is said' }).click()
  await expect(page.getByRole('heading', { level: 1, name: 'Policies' })).toBeVisible()
  await expect(margin(page).getByRole('heading', { name: 'edge' })).toBeVisible()
})

test('a policy is written in its form, refused with its reason, applied, and stands in the history', async ({
  page,
}) => {
  await signIn(page, 'tomas', '/placements/leak-sensors-trial-1')
  await page.getByLabel('Add a policy').selectOption({ label: 'Maintenance' })
  await margin(page).getByRole('button', { name: 'Write it' }).click()
  await expect(page.getByText('not complete yet')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Apply the change' })).toBeDisabled()
  await margin(page).getByLabel('Message', { exact: true }).fill('Gauges are being changed')
  await margin(page).getByLabel('Until', { exact: true }).fill('tomorrow')
  await expect(margin(page)).toContainText('"tomorrow" is no moment such as')
  await margin(page).getByLabel('Until', { exact: true }).fill('')
  await expect(page.getByText('everything is answered 503: Gauges are being changed')).toBeVisible()
  await expect(margin(page).getByText('The same call for a terminal')).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Apply the change' }).click()
  await expectCarriedOut(page)

  await page.goto('/desk?placement=leak-sensors-trial-1')
  const answered = page.waitForResponse('**/api/v1/requests')
  await page.getByRole('button', { name: 'Send' }).click()
  await answered
  await expect(page.locator('.status')).toHaveText('503')
  await expect(page.locator('.verdict')).toContainText(
    'Under maintenance: Gauges are being changed',
  )
  await margin(page).getByRole('link', { name: 'Maintenance' }).click()

  await expect(margin(page).getByLabel('Message', { exact: true })).toHaveValue(
    'Gauges are being changed',
  )
  await page.getByRole('tab', { name: 'History' }).click()
  await expect(page.getByRole('row', { name: /as it stands/ })).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Write it into the form' }).first().click()
  await expect(page.getByRole('button', { name: /Maintenance/ })).toBeHidden()
  await page.getByRole('button', { name: 'Apply the change' }).click()
  await expectCarriedOut(page)
})

test('an operation has a policy of its own', async ({ page }) => {
  await signIn(page, 'tomas', '/placements/leak-sensors-trial-1')
  await page.getByLabel('For which operation').click()
  await page.getByRole('option', { name: 'GET /sensors', exact: true }).click()
  await page.getByLabel('Add a policy').selectOption({ label: 'Concurrent requests' })
  await margin(page).getByRole('button', { name: 'Write it' }).click()
  await margin(page).getByLabel('Requests', { exact: true }).fill('3')
  await margin(page).getByLabel('Requests', { exact: true }).blur()
  await expect(page.getByText('1 operation has policies of its own')).toBeVisible()
  await expect(page.getByText('3 at once')).toBeVisible()
  await margin(page).getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByText('3 at once')).toBeHidden()
})

test('a policy for a stage shows what it does before it is rolled out as one', async ({ page }) => {
  await signIn(page, 'oskar', '/policies')
  await expect(page.locator('.sentence')).toContainText('scopes say something')
  await expectAccessible(page)
  await page
    .getByRole('navigation', { name: 'Scopes' })
    .getByRole('button', { name: /Trial/ })
    .click()
  await page.getByLabel('Add a policy').selectOption({ label: 'Concurrent requests' })
  await margin(page).getByRole('button', { name: 'Write it' }).click()
  await margin(page).getByLabel('Requests', { exact: true }).fill('50')
  await margin(page).getByLabel('Requests', { exact: true }).blur()
  await margin(page).getByRole('button', { name: 'Show what it does' }).click()
  await expect(page.getByRole('heading', { name: 'What it does' })).toBeVisible()
  await expect(page.getByRole('row', { name: /Leak Sensors 0\.3\.0/ })).toContainText('50 at once')
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Apply the change' }).click()
  await expect(margin(page).getByText(/Last changed/)).toBeVisible({ timeout: 20_000 })
  await page.goto('/placements/leak-sensors-trial-1?policy=concurrency')
  await expect(margin(page)).toContainText('From stage Trial')
})

test('a policy that reaches Live is asked for, and approved by somebody else', async ({ page }) => {
  await signIn(page, 'oskar', '/policies?scope=stage:Live')
  await page.getByLabel('Add a policy').selectOption({ label: 'Timeout' })
  await margin(page).getByRole('button', { name: 'Write it' }).click()
  await margin(page).getByText('Binding: only to be tightened further in').click()
  await margin(page).getByRole('button', { name: 'Show what it does' }).click()
  await expect(margin(page)).toContainText('somebody else approves it')
  await margin(page).getByLabel('What reviewers should know').fill('Nothing hangs for ever')
  await margin(page).getByRole('button', { name: 'Ask for the change' }).click()
  await expect(page.getByText('A change waits for approval.')).toBeVisible()
  await expect(page.getByText('Somebody else approves it.')).toBeVisible()

  await signIn(page, 'ruth', '/policies?scope=stage:Live')
  await expect(page.getByText('“Nothing hangs for ever”')).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Approve and roll out' }).click()
  await expect(page.getByText('A change waits for approval.')).toBeHidden({ timeout: 20_000 })
  await expect(page.getByRole('button', { name: /Timeout/ })).toContainText('30,000 ms in all')
})

test('tokens of the company’s issuer open what they are for', async ({ page, request }) => {
  await signIn(page, 'oskar', '/placements/customer-accounts-trial-1?policy=authentication')
  const issuer = await margin(page).getByLabel('Issuer', { exact: true }).inputValue()
  const answer = await request.post(`${issuer}/token`, {
    form: {
      grant_type: 'client_credentials',
      client_id: 'crew-app',
      client_secret: 'demo-crew-app',
      scope: 'accounts:read',
    },
  })
  const { access_token: token } = (await answer.json()) as { access_token: string }
  await page.goto('/desk?placement=customer-accounts-trial-1')
  const send = async () => {
    const answered = page.waitForResponse('**/api/v1/requests')
    await page.getByRole('button', { name: 'Send' }).click()
    await answered
  }
  await page.getByLabel('Path and query', { exact: true }).fill('/customers/v3/accounts?limit=1')
  await send()
  await expect(page.locator('.status')).toHaveText('401')
  await page.getByLabel('Credential', { exact: true }).fill(token)
  await send()
  await expect(margin(page)).toContainText('is that of crew-app')
  await expect(margin(page)).toContainText('It has accounts:read')
  await page.getByLabel('Method', { exact: true }).fill('DELETE')
  await page.getByLabel('Credential', { exact: true }).fill('not.a.token')
  await page.getByLabel('Method', { exact: true }).fill('GET')
  await send()
  await expect(page.locator('.verdict')).toContainText('The token is not taken')
})

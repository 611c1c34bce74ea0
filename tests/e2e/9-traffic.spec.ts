import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

test('traffic is told apart from the estate down to whose calls they are, beside the ledger', async ({
  page,
}) => {
  await signIn(page, 'wren', '/traffic?period=30d')
  await expect(page.locator('.sentence')).toContainText(
    /The gateways answered [\d,]+ requests in 30 days/,
  )
  await page.getByRole('button', { name: 'Connections and Permits' }).click()
  await expect(page).toHaveURL(/api=connections-and-permits/)
  await expect(page.locator('.sentence')).toContainText(/Connections and Permits answered/)
  await page.getByRole('button', { name: '2 operations are called that are not approved' }).click()
  await expect(page.locator('tbody tr')).toHaveCount(2)
  const stranger = page.getByRole('row', { name: /GET \/permits\/\*\/history/ })
  await expect(stranger).toContainText('not in the definition')
  await stranger.getByRole('cell').nth(2).click()
  await expect(margin(page)).toContainText('without a credential')
  await expect(margin(page)).toContainText('Refused (4xx)')
  await expectAccessible(page)
  await margin(page).getByRole('link', { name: '404' }).click()
  await expect(page).toHaveURL(/ended=404/)
  await expect(page.getByRole('cell', { name: 'Match', exact: true })).toBeVisible()
  await page.getByRole('button', { name: 'Clear' }).click()
  await expect(page.locator('.sentence')).toContainText('The gateways answered')
})

test('a request is counted a few seconds after it was sent, without reloading', async ({
  page,
  context,
}) => {
  const calls = page.locator('.sentence b')
  await signIn(page, 'oskar', '/traffic?placement=reservoir-levels-live-1&period=1h&by=status')
  await expect(calls).toHaveText(/\d+ requests?/)
  const before = parseInt((await calls.innerText()).replaceAll(',', ''), 10)
  const desk = await context.newPage()
  await desk.goto('/desk?placement=reservoir-levels-live-1')
  const answered = desk.waitForResponse('**/api/v1/requests')
  await desk.getByRole('button', { name: 'Send' }).click()
  await answered
  await desk.close()
  await expect(calls).toHaveText(new RegExp(`^${before + 1} request`))
  await expect(page.getByRole('row', { name: /^200/ })).toBeVisible()
})

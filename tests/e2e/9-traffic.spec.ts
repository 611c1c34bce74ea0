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
  await margin(page).getByRole('link', { name: '404', exact: true }).click()
  await expect(page).toHaveURL(/ended=404/)
  await expect(page.getByRole('cell', { name: 'Match', exact: true })).toBeVisible()
  await page.getByRole('button', { name: 'Clear' }).click()
  await expect(page.locator('.sentence')).toContainText('The gateways answered')
})

test('goes from a figure down to single requests, and to the way of one of them', async ({
  page,
}) => {
  await signIn(page, 'oskar', '/traffic?api=supply-interruptions&period=7d&by=status')
  await page.getByRole('row', { name: /^429/ }).getByRole('cell').nth(2).click()
  await margin(page).getByRole('link', { name: 'all', exact: true }).click()
  await expect(page).toHaveURL(/requests.*ended=429/)
  await expect(page.getByRole('row', { name: /Alder Homes/ }).first()).toContainText('Limit')
  await expectAccessible(page)
  await page.locator('td a.mono').first().click()
  await expect(page.getByRole('heading', { name: 'Request', exact: true })).toBeVisible()
  await expect(page.locator('.sentence')).toContainText('was answered 429')
  await expect(page.getByText('does not have it in its log any more')).toBeVisible()
  // A live one, by what its response said it is called.
  await page.goto('/desk?placement=reservoir-levels-live-1')
  const answered = page.waitForResponse('**/api/v1/requests')
  await page.getByRole('button', { name: 'Send' }).click()
  const { headers } = (await (await answered).json()) as {
    headers: { name: string; value: string }[]
  }
  const id = headers.find(({ name }) => name === 'x-request-id')!.value
  await page.goto('/traffic/requests')
  await page.getByLabel('X-Request-Id').fill(id)
  await page.getByRole('button', { name: 'Find' }).click()
  await expect(page.locator('.steps')).toContainText('Forward')
  await expectAccessible(page)
  await page.goto('/traffic/requests/not-there')
  await expect(page.getByRole('alert')).toContainText('not-there')
})

test('drift tells its cause and whose calls it touches, and is accepted until a day', async ({
  page,
}) => {
  await signIn(page, 'oskar', '/drift?placement=supply-interruptions-live-1&account=gateway')
  const placement = '/api/v1/placements/supply-interruptions-live-1'
  const edited = await page.request.post(`${placement}/hand-edit`, { data: { kind: 'limit' } })
  expect(edited.status()).toBe(200)
  const row = page.getByRole('row', { name: /rate limit/ })
  await row.click()
  await expect(margin(page)).toContainText('changed past the ledger')
  await expect(margin(page)).toContainText(/are held to .* again|nobody would notice/)
  await margin(page).getByRole('button', { name: 'Accept until a day' }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByRole('button', { name: 'Accept', exact: true })).toBeDisabled()
  await dialog.getByLabel('Why').fill('The flood desk needs it until the regulator has answered')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Accept', exact: true }).click()
  await expect(row).toHaveCount(0)
  await page.getByRole('button', { name: '1 more is accepted' }).click()
  await row.click()
  await expect(margin(page)).toContainText('needs it until the regulator')
  await margin(page).getByRole('button', { name: 'Have it count again' }).click()
  await expect(row).toHaveCount(0)
  await page.goto('/drift?placement=supply-interruptions-live-1&account=gateway')
  await expect(row).toHaveCount(1)
})

test('an alert is set, tried, and read in the mailbox', async ({ page, request }) => {
  await signIn(page, 'oskar', '/traffic/alerts')
  await page.getByRole('button', { name: 'Add an alert' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('What it watches for').selectOption('Drift')
  await dialog.getByLabel('Title').fill('Drift in Live')
  await dialog.getByLabel('Over so many minutes').fill('1')
  await dialog.getByLabel('Stage').selectOption('Live')
  await dialog.getByLabel('Mail addresses').fill('nobody')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(dialog).toContainText('nobody is no mail address')
  await dialog.getByLabel('Mail addresses').fill('oskar@brackenmere.example')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: 'Drift in Live' }).click()
  await expect(page.getByRole('row', { name: /Drift in Live/ })).toContainText('Live')
  await margin(page).getByRole('button', { name: 'Send a test' }).click()
  await expect(margin(page)).toContainText(/delivered/, { timeout: 20_000 })
  const letters = await request.get(`${process.env['ELM_STANDINS']}/mailbox/letters`)
  expect(await letters.text()).toContain('Test: Drift in Live')
  // What stands in Live otherwise than approved is told by itself.
  await expect(page.getByRole('row', { name: /Drift in Live/ })).toContainText(
    /from what was approved/,
    { timeout: 40_000 },
  )
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Remove' }).click()
  await expect(page.getByRole('row', { name: /Drift in Live/ })).toHaveCount(0)
})

test('governance sets what happens by itself, and others see it', async ({ page }) => {
  await signIn(page, 'imara', '/drift/reactions')
  const rehearsal = page.getByRole('row', { name: /inner Rehearsal/ })
  await rehearsal.getByLabel('What happens at inner in Rehearsal').selectOption('put-back')
  await rehearsal.getByLabel('Minutes at inner in Rehearsal').fill('0')
  await rehearsal.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByText(/a minute at least/)).toBeVisible()
  await rehearsal.getByLabel('Minutes at inner in Rehearsal').fill('15')
  await rehearsal.getByRole('button', { name: 'Keep' }).click()
  await expect(rehearsal).toContainText('Imara Holt')
  await expectAccessible(page)
  await rehearsal.getByLabel('What happens at inner in Rehearsal').selectOption('report')
  await rehearsal.getByRole('button', { name: 'Keep' }).click()
  await expect(page.locator('.sentence')).toContainText('Nothing happens by itself')
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

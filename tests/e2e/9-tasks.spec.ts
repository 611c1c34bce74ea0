import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

test('what waits for a person is told by mail, and done where it is read', async ({
  page,
  request,
}) => {
  await signIn(page, 'tomas', '/tasks')
  await expect(page.getByRole('heading', { name: 'What waits for you' })).toBeVisible()
  const asked = await page.request.post('/api/v1/promotions', {
    data: {
      ...{ api: 'leak-sensors', version: '0.3.0', from: 'Trial' },
      ...{ note: 'Crews would read them', neededBy: '2030-06-01' },
    },
  })
  const { id } = (await asked.json()) as { id: number }

  await signIn(page, 'ruth', '/tasks?kind=approval&api=leak-sensors')
  const row = page.getByRole('row', { name: /Leak Sensors/ })
  await expect(row).toContainText('Crews would read them')
  await expect(row).toContainText(/in [\d,]+ days/)
  await row.getByRole('button').click()
  await expect(margin(page).getByText('One approval by somebody else')).toBeVisible()
  await expect(margin(page)).toContainText('10 operations become served')
  await expectAccessible(page)

  // How she is told: what cannot be told is refused, and nothing written is lost.
  await margin(page).getByRole('button', { name: 'Change' }).click()
  const dialog = page.getByRole('dialog')
  await dialog.getByLabel('Mail address').fill('ruth')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(dialog.getByRole('alert')).toContainText('ruth is no mail address')
  await dialog.getByLabel('Mail address').fill('ruth.amadi@brackenmere.example')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(margin(page).getByText(/^At once, ruth.amadi@brackenmere.example/)).toBeVisible()
  await margin(page).getByRole('button', { name: 'Send a test' }).click()
  await expect(margin(page).getByText('A test is on its way.')).toBeVisible()
  await expect
    .poll(async () => (await request.get(`${process.env['ELM_STANDINS']}/mailbox/letters`)).text())
    .toContain('You try whether this arrives')

  await margin(page).getByLabel('What you looked at').fill('The examples')
  await margin(page).getByRole('button', { name: 'Approve', exact: true }).click()
  await expect(
    page.getByText(/^Done, and off your list: Approve: Promote Leak Sensors 0.3.0/),
  ).toBeVisible()
  await expect(row).toHaveCount(0)
  await page.goto(`/promotions/${id}`)
  await expect(page.getByText('The examples')).toBeVisible()
})

test('what was done has its evidence, to be read and downloaded', async ({ page }) => {
  await signIn(page, 'wren', '/promotions?state=done')
  await page.locator('table a').first().click()
  await margin(page).getByRole('link', { name: 'Evidence' }).click()
  await expect(page.getByRole('heading', { name: /^Evidence: / })).toBeVisible()
  await expect(page.getByText('all of it holds')).toBeVisible()
  await expect(page.getByText(/approved of that plan/)).toBeVisible()
  await expectAccessible(page)
  const saved = page.waitForEvent('download')
  await page.getByRole('button', { name: 'Download JSON' }).click()
  let text = ''
  for await (const part of await (await saved).createReadStream()) text += String(part)
  expect(JSON.parse(text)).toMatchObject({
    evidence: 1,
    head: { size: expect.any(Number) as unknown as number },
  })
})

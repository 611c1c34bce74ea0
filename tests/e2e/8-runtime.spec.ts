import { expect, test } from '@playwright/test'
import { expectAccessible, issue, margin, send, signIn, expectCarriedOut } from './support'

test('a further route is written, refused with its reason, and serves what the definition does not have', async ({
  page,
}) => {
  await signIn(page, 'nadia', '/placements/meter-readings-trial-2?view=routes')
  const further = page.getByRole('group', { name: 'Further routes' })
  await expect(further.getByLabel('Name', { exact: true }).first()).toHaveValue('radio-round')
  await further.getByRole('button', { name: 'Add a route' }).click()
  await further.getByLabel('Name', { exact: true }).last().fill('Status page')
  await expect(margin(page)).toContainText('name a further route in lower case letters')
  await expect(page.getByRole('button', { name: 'Apply the change' })).toBeDisabled()
  await further.getByLabel('Name', { exact: true }).last().fill('status-page')
  await further.getByLabel('Path below the base path').last().fill('/status')
  await expect(margin(page)).toContainText('It can be placed as it is written')
  await expectAccessible(page)
  await page.getByRole('button', { name: 'Apply the change' }).click()
  await expectCarriedOut(page)

  await page.goto('/desk?placement=meter-readings-trial-2')
  await expect(page.getByLabel('Path and query')).toHaveValue(/meter-readings/)
  await page.getByLabel('Path and query').fill('/meter-readings/v4/status')
  await send(page)
  await expect(margin(page)).toContainText('/meter-readings/v4/status of meter-readings-trial-2')
})

test('rules about what runs are said before anything is applied, and an exception can be asked for', async ({
  page,
}) => {
  await signIn(page, 'tomas', '/placements/reservoir-levels-live-1')
  await expect(margin(page)).toContainText(/\d+ findings?, none at MUST/)
  await expect(margin(page)).toContainText('main is on the gateway’s own machine'.replace('’', "'"))
  await margin(page).getByRole('button', { name: 'Ask for a waiver' }).first().click()
  const dialog = page.getByRole('dialog', { name: 'Ask for a waiver' })
  await dialog.getByLabel('Why').fill('The services of the demo run beside its gateways.')
  await expectAccessible(page)
  await dialog.getByRole('button', { name: 'Ask for it' }).click()
  await expect(margin(page)).toContainText('1 waiver asked for; somebody else decides.')
  await margin(page).getByRole('link', { name: 'SHOULD' }).first().click()
  await expect(page).toHaveURL(/rulebook\?rule=/)

  await page.goto('/findings/placements?api=payments-desk')
  await expect(page.getByText(/At \d+ placements?, by the rules about what runs/)).toBeVisible()
  await page.getByRole('button', { name: /at MAY/ }).click()
  await expect(page).toHaveURL(/level=MAY/)
  await page.getByRole('button', { name: /at MAY/ }).click()
  // Rows that are replaced by those of the whole list take no click.
  const all = page.waitForResponse((answer) =>
    /findings\/placements\?(?!.*api=)/.test(answer.url()),
  )
  await page.getByRole('button', { name: 'Clear' }).click()
  await all
  await expect(page).toHaveURL(/\/findings\/placements$/)
  await page.locator('tbody a').first().click()
  await expect(page).toHaveURL(/\/placements\//)
})

test('the desk speaks SOAP, remembers what was sent, and compares two requests', async ({
  page,
}) => {
  await signIn(page, 'oskar', '/desk?placement=lab-sampling-trial-1')
  await expect(page.getByLabel('Body', { exact: true })).toHaveValue(/<soap:Body><registerSample /)
  await expect(page.getByLabel('Path and query')).toHaveValue('/lab/soap')
  await send(page)
  await expect(page.locator('.status')).toHaveText('401')
  await expect(page.locator('.answer pre')).toContainText('<faultcode>soap:Client</faultcode>')
  const key = await issue(page, 'lab-sampling-trial-1', 'Fernhill Plumbing')
  await page.getByLabel('Credential').fill(key)
  await send(page)
  await expect(page.locator('.status')).toHaveText('200')
  await expect(page.locator('.answer pre')).toContainText('registerSampleResponse')
  await expect(margin(page)).toContainText('registerSample of /lab/soap')

  await page.getByLabel('Value of header 1').fill('"urn:brackenmere.example:lab:discardSample"')
  await send(page)
  await expect(page.locator('.status')).toHaveText('404')
  await expect(page.locator('.verdict')).toContainText('No operation at /lab/soap takes')

  const history = page.locator('.history')
  await expect(history.getByRole('row')).toHaveCount(3)
  await history.getByRole('checkbox').nth(0).check()
  await history.getByRole('checkbox').nth(1).check()
  await expect(history.locator('.cm-changedLine').first()).toBeVisible()
  await expectAccessible(page)
  await history.getByRole('button', { name: 'POST /lab/soap' }).nth(1).click()
  await expect(page.locator('.status')).toHaveText('200')
  await expect(page.getByLabel('Value of header 1')).toHaveValue(
    '"urn:brackenmere.example:lab:registerSample"',
  )
  const kept = await page.evaluate(() => sessionStorage.getItem('desk-requests'))
  expect(kept).toContain('registerSample')
  expect(kept).not.toContain(key)
  await history.getByRole('button', { name: 'Forget them' }).click()
  await expect(history).toBeHidden()
})

import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

test('a pipeline is written with its faults beside it, seen for what it would change, published and taken away', async ({
  page,
}) => {
  await signIn(page, 'imara', '/promotions')
  await page.getByRole('link', { name: 'Pipelines' }).click()
  await expect(page.getByRole('heading', { name: /Private APIs/ })).toBeVisible()
  await expect(page.getByRole('heading', { name: /The usual pipeline/ })).toBeVisible()
  await page
    .locator('section')
    .filter({ hasText: 'Private APIs' })
    .getByRole('button', { name: /^\d+ APIs$/ })
    .click()
  await expect(page.getByRole('link', { name: 'works-orders' })).toBeVisible()
  await expectAccessible(page)
  await page.getByRole('link', { name: 'New pipeline' }).click()
  const text = page.locator('.cm-content')
  await expect(text).toContainText('pipeline: 1')
  const write = async (what: string) => {
    await text.click()
    await page.keyboard.press('Control+a')
    await page.keyboard.insertText(what)
  }
  await write('pipeline: 1\nstages:\n  - name: Nowhere\n')
  const publish = page.getByRole('button', { name: 'Publish as edition 1' })
  await expect(margin(page).getByText('There is no stage "Nowhere"')).toBeVisible()
  await margin(page).getByLabel('What it is called').fill('Sensors of the field')
  await margin(page).getByLabel('What changes, and why').fill('Sensors rehearse nothing')
  await expect(publish).toBeDisabled()
  await write(
    'pipeline: 1\nfor: { teams: [Network Control], audiences: [partner] }\nstages:\n  - name: Trial\n  - name: Live\n    gates: { approval: { number: 2 } }\n',
  )
  await expect(margin(page).getByRole('link', { name: 'leak-sensors' })).toBeVisible()
  // What was written and not published is there again.
  await page.reload()
  await expect(page.getByText('Your unpublished text is back.')).toBeVisible()
  await expect(margin(page).getByRole('link', { name: 'leak-sensors' })).toBeVisible()
  await expectAccessible(page)
  await margin(page).getByLabel('What it is called').fill('Sensors of the field')
  await margin(page).getByLabel('What changes, and why').fill('Sensors rehearse nothing')
  await publish.click()
  await expect(page.getByRole('heading', { name: 'Sensors of the field' })).toBeVisible()
  await expect(margin(page).getByText('edition 1 is in force')).toBeVisible()
  await expect(margin(page).getByText('Sensors rehearse nothing')).toBeVisible()
  await page.getByRole('link', { name: 'Pipelines' }).click()
  await expect(page.getByText('2 approvals by others')).toBeVisible()
  await page.getByRole('link', { name: 'Sensors of the field' }).click()
  await page.getByRole('button', { name: 'Remove' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click()
  await expect(page.getByRole('heading', { name: /Private APIs/ })).toBeVisible()
  await expect(page.getByText('Sensors of the field')).toHaveCount(0)
})

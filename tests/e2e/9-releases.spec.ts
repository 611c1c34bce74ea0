import { expect, test } from '@playwright/test'
import { expectAccessible, margin, signIn } from './support'

test('versions are put together, shown with what they wait for, and taken apart', async ({
  page,
}) => {
  await signIn(page, 'imara', '/promotions/releases')
  await page.getByRole('link', { name: 'Readings on the account' }).first().click()
  await expect(
    page.getByRole('heading', { name: 'Release Readings on the account into Live' }),
  ).toBeVisible()
  await expect(margin(page).getByText('0 of 2 versions have every gate open')).toBeVisible()
  await expect(margin(page).getByRole('button', { name: 'Promote all to Live' })).toBeDisabled()
  await page.getByRole('row', { name: /Meter Readings/ }).click()
  await expect(page.getByRole('heading', { name: 'Meter Readings 4.0.0 into Live' })).toBeVisible()
  await expectAccessible(page)
  // A version of it says so, and is not promoted alone.
  await page
    .getByRole('row', { name: /Meter Readings/ })
    .getByRole('link')
    .click()
  await expect(margin(page).getByText('It goes together with others')).toBeVisible()
  await expect(margin(page).getByRole('button', { name: 'Promote to Live' })).toHaveCount(0)

  await page.goto('/promotions/releases/new?stage=Trial')
  await expect(page.getByLabel('Take Customer Accounts 3.3.0')).toHaveCount(0)
  await page.getByLabel('Take Lab Sampling 1.8.0').check()
  await expect(margin(page).getByRole('button', { name: 'Put it together' })).toBeDisabled()
  await page.getByLabel('Take Tanker Dispatch 0.9.4').check()
  await margin(page).getByLabel('What it is called').fill('Field and laboratory')
  await expectAccessible(page)
  await margin(page).getByRole('button', { name: 'Put it together' }).click()
  const head = page.getByRole('heading', { name: 'Release Field and laboratory into Rehearsal' })
  await expect(head).toBeVisible()
  await margin(page).getByRole('button', { name: 'Cancel it' }).click()
  await page.getByRole('dialog').getByRole('button', { name: 'Cancel it' }).click()
  await expect(page.getByRole('link', { name: 'New release' })).toBeVisible()
  await expect(page.getByText('Field and laboratory')).toHaveCount(0)
  // Its versions wait on their own.
  await page.goto('/promotions?state=waiting')
  for (const name of [/Lab Sampling/, /Tanker Dispatch/]) {
    await page.getByRole('row', { name }).getByRole('link').click()
    await margin(page).getByRole('button', { name: 'Withdraw' }).click()
    await expect(page.getByText('This request was withdrawn.')).toBeVisible()
    await page.goto('/promotions?state=waiting')
  }
})

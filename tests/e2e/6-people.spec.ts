import { expect, test, type Page } from '@playwright/test'
import { expectAccessible, signIn } from './support'

async function comeAs(page: Page, name: string, to = '/') {
  await page.context().clearCookies()
  await page.goto(`/sign-in?to=${encodeURIComponent(to)}`)
  await page.getByRole('link', { name: 'Sign in with your organisation’s account' }).click()
  await page.getByRole('button', { name }).click()
}

test('comes in by single sign-on, with the role of one’s groups, to where one was going', async ({
  page,
}) => {
  await page.goto('/sign-in')
  await expect(page.getByRole('link', { name: /organisation’s account/ })).toBeVisible()
  await expectAccessible(page)
  await comeAs(page, 'Iris Fallow', '/drift')
  await expect(page.getByRole('heading', { level: 1, name: 'Drift' })).toBeVisible()
  await expect(page.getByText('Iris Fallow, operator')).toBeVisible()
  await comeAs(page, 'Noel Tarn')
  await expect(page.getByRole('alert')).toContainText('none of the groups')
})

test('administers who comes in by what, and for how long things are kept', async ({ page }) => {
  await comeAs(page, 'Hazel Thorne', '/administration')
  await expect(page.getByRole('row', { name: /Hazel Thorne/ })).toContainText('by sign-on')
  await expectAccessible(page)

  await page.getByRole('tab', { name: 'Sign-in' }).click()
  await page.getByRole('button', { name: 'Test the issuer' }).click()
  await expect(page.getByText(/can be used; it names openid/)).toBeVisible()
  await expectAccessible(page)
  await page.getByLabel('Issuer').fill('http://login.example')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText(/http is taken on this machine only/)).toBeVisible()
  await page.reload()
  await page.getByRole('button', { name: 'Add a group' }).click()
  await page.getByLabel('Group 6', { exact: true }).fill('field-owners')
  await page.getByLabel('Role of group 6').selectOption('owner')
  await page.getByLabel('Team of group 6').selectOption('Field')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Saved.')).toBeVisible()
  await page.reload()
  await expect(page.getByLabel('Group 6', { exact: true })).toHaveValue('field-owners')

  await page.getByRole('tab', { name: 'Retention and address' }).click()
  await page.getByLabel(/Snapshots of gateways/).fill('14')
  await page.getByRole('button', { name: 'Save' }).first().click()
  await expect(page.getByText('Retention saved.')).toBeVisible()
  await page.getByLabel('Address').fill('https://ledger.brackenmere.example')
  await page.getByRole('button', { name: 'Save' }).last().click()
  await expect(page.getByText(/Open the product at .* and set it there/)).toBeVisible()
  await expectAccessible(page)
  await page.reload()
  await expect(page.getByLabel(/Snapshots of gateways/)).toHaveValue('14')
})

test('keeps an API confidential: there for its team and who is named, not there for others', async ({
  page,
}) => {
  const at = '/apis/tanker-dispatch'
  await signIn(page, 'bryn', at)
  await expect(page.getByRole('heading', { level: 1, name: /Tanker/ })).toBeVisible()
  const choose = (says: string) => page.getByLabel('Visible to').selectOption(says)
  await choose('team and governance')
  await expect(page.getByText('confidential', { exact: true })).toBeVisible()
  await page.getByText('and people named').click()
  await page.getByRole('listbox').getByRole('option', { name: 'Wren Sadler' }).click()
  await page.keyboard.press('Escape')
  await expect(page.locator('.besides')).toContainText('Wren Sadler')

  await signIn(page, 'wren', at)
  await expect(page.getByRole('heading', { level: 1, name: /Tanker/ })).toBeVisible()
  await signIn(page, 'nadia', at)
  await expect(page.getByText('There is no API called "tanker-dispatch"')).toBeVisible()
  await page.goto('/find?q=tanker')
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  await expect(page.getByText(/nothing|no API/i).first()).toBeVisible()
  await expect(page.getByText(/Tanker Dispatch/)).toHaveCount(0)

  await signIn(page, 'bryn', at)
  await choose('everybody')
  await expect(page.getByText('confidential', { exact: true })).toHaveCount(0)
})

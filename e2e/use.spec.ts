// A day of use by somebody who may only look: every page is whole, and nothing on
// it is there to be pressed in vain.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, signIn } from './servers';

const shop = (path: string) => `${agonal}/s/lindquill/${path}`;

/** What no page may ever be, whatever was done to it. */
async function whole(page: Page, what: string) {
  await page.waitForLoadState('networkidle');
  expect(await page.locator('main').count(), `${what}: one page`).toBe(1);
  const twice = await page.evaluate(() => {
    const ids = [...document.querySelectorAll('[id]')].map((e) => e.id);
    return ids.filter((id, i) => ids.indexOf(id) !== i);
  });
  expect(twice, `${what}: ids`).toEqual([]);
  await expect(page.getByText('Agonal failed at this'), what).toHaveCount(0);
}

test('a viewer reads everything and finds nothing to press in vain', async ({ page }) => {
  test.setTimeout(120_000);
  await signIn(page, 'vera@lindquill.example');
  for (const path of [
    'nudges',
    'nudges/start',
    'nudges/winter-ladder',
    'nudges/winter-ladder/revisions',
    'shop',
    'shop/regions',
    'shop/regions/home',
    'shop/settings',
    'shop/connection',
    'shop/people',
    'rehearsal',
  ]) {
    await page.goto(shop(path));
    await whole(page, path);
    await expect(page.locator('main form[method=post]:not(#settings-form, #region-form, #origins-form)'), path).toHaveCount(0);
    await expect(page.getByRole('main').getByRole('button', { name: /^(Save|Publish|Pause|Delete|End|Make|Import|Add a region)/ }), path).toHaveCount(0);
  }
  // What a viewer may do, works: rehearse and look at other carts.
  await choose(page, 'Add a product', 'brine 30', /Brine, 30 ml/);
  await expect(page.getByLabel('Quantity of Brine, 30 ml')).toHaveValue('1');
  await page.goto(shop('nudges/winter-ladder'));
  await choose(page, 'Add a product', 'brine 30', /Brine, 30 ml/);
  await expect(page.getByRole('region', { name: 'The cart beside it' })).toContainText('Brine');
});

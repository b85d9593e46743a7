import { AxeBuilder } from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { agonal, lindquill, putIn, signIn, tabTo, topBar } from './servers';

async function clean(page: Page, what: string) {
  const found = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']).analyze();
  expect(found.violations.map((v) => `${what}: ${v.id} ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`)).toEqual([]);
}

for (const scheme of ['light', 'dark'] as const) {
  test(`axe finds nothing on the merchant's pages, ${scheme}`, async ({ page }) => {
    test.setTimeout(180_000);
    await page.emulateMedia({ colorScheme: scheme });
    await page.goto(`${agonal}/sign-in`);
    await clean(page, 'sign-in');
    await signIn(page);
    for (const path of [
      '/shops',
      '/gallery',
      ...[
        'nudges',
        'nudges/start',
        'nudges/winter-ladder',
        'nudges/winter-ladder/revisions',
        'rehearsal?sku=HARBLU-30&code=HARBOUR10',
        'shop',
        'shop/import',
        'shop/regions',
        'shop/orders',
        'shop/orders/1001',
        'shop/settings',
      ].map((p) => `/s/lindquill/${p}`),
    ]) {
      await page.goto(agonal + path);
      await page.waitForTimeout(300);
      await clean(page, path);
    }
    await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder`);
    await page.getByRole('region', { name: 'The promise' }).locator('summary', { hasText: '€60.00' }).first().click();
    await clean(page, 'an open panel');
  });
}

test("axe finds nothing on the shop's pages", async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml');
  await clean(page, 'cart drawer');
  for (const path of ['/', '/collections/Inks', '/products/kittiwake', '/cart', '/checkout', '/products/none']) {
    await page.goto(lindquill + path);
    await page.waitForTimeout(300);
    await clean(page, path);
  }
  await page.goto(`${lindquill}/checkout`);
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByText('A postcode is needed.')).toBeVisible();
  await clean(page, 'checkout with errors');
  for (const [label, text] of [
    ['Name', 'Pia'],
    ['Street and number', 'Kai 1'],
    ['Postcode', '26723'],
    ['Town', 'Vessmark'],
  ])
    await page.getByLabel(label).fill(text);
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByRole('heading', { name: /Thank you/ })).toBeVisible();
  await clean(page, 'thank you');
});

test('the bar reads as progress with text, and changes are announced politely', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml');
  await page.goto(`${lindquill}/products/harbour-blue`);
  await expect(topBar(page).getByRole('status')).toHaveAttribute('aria-live', 'polite');
  const bar = topBar(page).getByRole('progressbar');
  await expect(bar).toHaveAttribute('aria-valuetext', /€14\.00 of €/);
  await expect(bar).toHaveAttribute('aria-valuemin', '0');
});

test('shop pages do not shift when the embed arrives', async ({ page }) => {
  await page.addInitScript(() => {
    (window as unknown as { shift: number }).shift = 0;
    new PerformanceObserver((list) => {
      for (const e of list.getEntries() as unknown as { value: number }[]) (window as unknown as { shift: number }).shift += e.value;
    }).observe({ type: 'layout-shift', buffered: true });
  });
  for (const path of ['/', '/collections/Inks', '/products/harbour-blue', '/cart']) {
    await page.goto(lindquill + path);
    await expect(topBar(page).getByRole('progressbar')).toBeVisible();
    await page.waitForTimeout(800);
    expect(await page.evaluate(() => (window as unknown as { shift: number }).shift), path).toBeLessThan(0.005);
  }
});

test('the keyboard alone does the whole story', async ({ page, context }) => {
  test.setTimeout(150_000);
  await page.goto(`${agonal}/sign-in`);
  await tabTo(page, /^E-mail/);
  await page.keyboard.type('ilse@lindquill.example');
  await tabTo(page, /^Password/);
  await page.keyboard.type('nine-quiet-harbours');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Nudges' })).toBeVisible();

  await tabTo(page, /^Start a nudge$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'What should happen?' })).toBeVisible();
  await tabTo(page, /^Begin with: Free shipping from an amount/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Publish revision 1' })).toBeVisible();

  // A region, then the amount, both where they stand.
  await tabTo(page, /^Regions: every region$/);
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Uk', { exact: true }).or(page.getByLabel('UK', { exact: true }))).toBeVisible();
  await tabTo(page, /^UK$/);
  await page.keyboard.press('Space');
  await tabTo(page, /^Save$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'The promise' }).locator('summary', { hasText: /^UK$/ })).toBeVisible();
  await tabTo(page, /^Goal of rung 1: £60\.00$/);
  await page.keyboard.press('Enter');
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('44');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('region', { name: 'The promise' }).locator('summary', { hasText: '£44.00' })).toBeVisible();

  // The marker moves by arrow keys.
  await tabTo(page, /^Value of the cart$/);
  const marker = page.getByRole('slider', { name: 'Value of the cart' });
  const before = Number(await marker.getAttribute('aria-valuenow'));
  await page.keyboard.press('ArrowRight');
  await expect(marker).toHaveAttribute('aria-valuenow', String(before + 100));

  await page.reload();
  await tabTo(page, /^Publish revision 1$/);
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Revision 1 is live/)).toBeVisible();

  // The shopper, too.
  const shop = await context.newPage();
  await shop.goto(`${lindquill}/products/dunlin-a5`);
  await shop.getByLabel('Deliver to').focus();
  await shop.keyboard.type('United Kingdom');
  await expect(topBar(shop)).toContainText('Add £44.00');
  await tabTo(shop, /^How many/);
  await shop.keyboard.press('ControlOrMeta+A');
  await shop.keyboard.type('4');
  await tabTo(shop, /^Add to cart$/);
  await shop.keyboard.press('Enter');
  await expect(topBar(shop)).toContainText('It’s yours');
  await tabTo(shop, /^Go to checkout$/);
  await shop.keyboard.press('Enter');
  await expect(shop.getByRole('heading', { name: 'Checkout' })).toBeVisible();
  for (const [label, text] of [
    [/^Name/, 'Rhys Calder'],
    [/^Street/, 'Pier 9'],
    [/^Postcode/, 'AB1 2CD'],
    [/^Town/, 'Seaham'],
  ] as const) {
    await tabTo(shop, label);
    await shop.keyboard.type(text);
  }
  await shop.keyboard.press('Enter');
  await expect(shop.getByRole('heading', { name: /Thank you, Rhys Calder/ })).toBeVisible();
});

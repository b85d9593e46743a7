import { expect, test, type Page } from '@playwright/test';
import { clean, fits } from './clean';
import { agonal, fillAddress, lindquill, putIn, signIn, tabTo, topBar } from './servers';

/** What a panel is made of: two that are made of the same look the same to axe. */
const madeOf = (panel: Element) =>
  [...new Set([...panel.querySelectorAll('*')].map((e) => `${e.tagName}.${e.getAttribute('type') ?? ''}.${e.getAttribute('class') ?? ''}`))].sort().join(' ');

/** Opens every panel of a page in turn; axe looks at one of each make. */
async function panels(page: Page, what: string, seen: Set<string>, look: (page: Page, what: string, known: boolean) => Promise<void>) {
  const ids = await page
    .locator('details.part, details.menu, details.disclose')
    .evaluateAll((all) => all.map((d, i) => ((d as HTMLElement).dataset.at = String(i))));
  for (const id of ids) {
    const d = page.locator(`details[data-at="${id}"]`);
    if (!(await d.locator('> summary').isVisible())) continue;
    await d.evaluate((e) => ((e as HTMLDetailsElement).open = true));
    const make = (await d.locator('> .panel').count()) ? await d.locator('> .panel').evaluate(madeOf) : '';
    const name = await d.locator('> summary').evaluate((e) => e.getAttribute('aria-label') ?? e.textContent?.trim());
    await look(page, `${what}, panel ${name}`, make !== '' && seen.has(make));
    seen.add(make);
    await d.evaluate((e) => ((e as HTMLDetailsElement).open = false));
  }
}

const ofShop = [
  'nudges',
  'nudges/start',
  'nudges/winter-ladder',
  'nudges/winter-ladder/revisions',
  'rehearsal?sku=HARBLU-30&code=HARBOUR10',
  'rehearsal/kept',
  'nudge-file',
  'shop',
  'shop/import',
  'shop/regions',
  'shop/regions/home',
  'shop/regions/new',
  'shop/orders',
  'shop/orders/1001',
  'shop/codes',
  'shop/sales?percent=10&from=2030-12-01T09:00&until=2030-12-05T20:00',
  'shop/connection',
  'shop/people',
  'shop/look',
  'shop/settings',
  'results',
  'results/winter-ladder',
  'nudges/winter-ladder/try',
  'begin',
].map((p) => `/s/lindquill/${p}`);

// Light and dark, a desk and a phone: each of them once.
const looks = {
  'on a desk, light': { scheme: 'light', width: 1280, text: 100, axe: true },
  'on a phone, dark': { scheme: 'dark', width: 390, text: 100, axe: true },
  'with letters twice as large': { scheme: 'light', width: 1280, text: 200, axe: false },
} as const;

for (const [name, l] of Object.entries(looks)) {
  const seen = new Set<string>();
  const see = async (page: Page, what: string, known = false) => {
    if (l.text !== 100) await page.evaluate((t) => (document.documentElement.style.fontSize = `${t}%`), l.text);
    if (l.axe && known) return;
    if (l.axe) await clean(page, what, l.scheme === 'dark');
    await fits(page, what);
  };
  test(`the merchant's pages and all their panels, ${name}`, async ({ page }) => {
    test.setTimeout(300_000);
    await page.setViewportSize({ width: l.width, height: 844 });
    await page.emulateMedia({ colorScheme: l.scheme, reducedMotion: 'reduce' });
    for (const path of ['/sign-in', '/account/new', '/mail', '/invite/none', '/nothing-here']) {
      await page.goto(agonal + path);
      await see(page, path);
    }
    await signIn(page);
    for (const path of ['/shops', '/account', '/gallery', ...ofShop]) {
      await page.goto(agonal + path);
      await page.waitForTimeout(250);
      await see(page, path);
      await panels(page, path, seen, see);
    }
    // Errors and results of a search are part of a page, too.
    await page.goto(`${agonal}/s/lindquill/shop/regions/home`);
    await page.getByLabel(/^\s*As you call it/).fill('');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByRole('alert').first()).toBeVisible();
    await see(page, 'a region with an error');
    await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder`);
    await page.getByRole('combobox', { name: 'Add a product' }).click();
    await expect(page.locator('[role=option]').first()).toBeVisible();
    await see(page, 'results of a search');
  });

  test(`the shop's pages, ${name}`, async ({ page }) => {
    test.setTimeout(150_000);
    await page.setViewportSize({ width: l.width, height: 844 });
    await page.emulateMedia({ colorScheme: l.scheme, reducedMotion: 'reduce' });
    await putIn(page, 'harbour-blue', '30 ml');
    await see(page, 'cart drawer');
    for (const path of ['/', '/collections/Inks', '/products/kittiwake', '/cart', '/checkout', '/products/none']) {
      await page.goto(lindquill + path);
      await page.waitForTimeout(250);
      await see(page, path);
    }
    await page.goto(`${lindquill}/cart`);
    await page
      .getByRole('main')
      .getByLabel(/^Quantity of/)
      .fill('x');
    await page.keyboard.press('Enter');
    await expect(page.getByRole('main').getByText('Write a whole number')).toBeVisible();
    await see(page, 'cart with an error');
    await page.goto(`${lindquill}/checkout`);
    await page.getByRole('button', { name: /^Pay / }).click();
    await expect(page.getByText('A postcode is needed.')).toBeVisible();
    await see(page, 'checkout with errors');
    await fillAddress(page, 'Pia');
    await page.getByRole('button', { name: /^Pay / }).click();
    await expect(page.getByRole('heading', { name: /Thank you/ })).toBeVisible();
    await see(page, 'thank you');
  });
}

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
  await expect(page.locator('details.part[open] input.amount').first()).toBeFocused();
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
  await shop.getByRole('banner').getByLabel('Deliver to').focus();
  await shop.keyboard.press('u'); // only one begins so; more keys could meet the page that comes
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
  await page.getByLabel('More', { exact: true }).click();
  await page.getByRole('button', { name: 'End this nudge' }).click();
  await expect(page.getByText(/is ended now/)).toBeVisible();
});

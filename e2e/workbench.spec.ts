// The workbench in use: panels, regions, cart, axis, publishing, and where the
// focus is after each act.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, lindquill, signIn, tabTo } from './servers';

const shop = (path: string) => `${agonal}/s/lindquill/${path}`;
const nextYear = new Date().getFullYear() + 1;
const open = (page: Page) => page.locator('details.part[open]');
const panel = (page: Page) => open(page).locator('.panel');
const promise = (page: Page) => page.getByRole('region', { name: 'The promise' });
const preview = (page: Page) => page.frameLocator('#preview').locator('agonal-nudge[place=top_bar]');
const marker = (page: Page) => page.getByRole('slider', { name: 'Value of the cart' });
const cart = (page: Page) => page.getByRole('region', { name: 'The cart beside it' });

/** Begins a ladder of one rung and gives it a name. */
async function begin(page: Page, name: string, start = /^Begin with: Free shipping from an amount/) {
  await page.goto(shop('nudges/start'));
  await page.getByRole('button', { name: start }).click();
  await page.getByLabel(/^Rename: /).click();
  await page.getByLabel('Name, for yourselves').fill(name);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name, exact: true })).toBeVisible();
}

/** Ends what a test published, so that the next one finds the shop as it was. */
async function end(page: Page) {
  await page.getByLabel('More', { exact: true }).click();
  await page.getByRole('button', { name: 'End this nudge' }).click();
  await expect(page.getByText(/is ended now/)).toBeVisible();
}

/** Throws a draft away that was never published. */
async function throwAway(page: Page) {
  await page.getByLabel('More', { exact: true }).click();
  await page.getByRole('button', { name: 'Delete this draft' }).click();
  await expect(page.getByRole('heading', { name: 'Nudges' })).toBeVisible();
}

async function save(page: Page) {
  await panel(page).getByRole('button', { name: 'Save' }).click();
  await expect(open(page)).toHaveCount(0);
}

test.beforeEach(async ({ page }) => {
  await signIn(page);
});

test('the commonest ladder: what it is measured on is set, and said', async ({ page }) => {
  await begin(page, 'Commonest ladder');
  await page.getByRole('button', { name: '+ rung' }).click();
  await expect(page.getByLabel(/^Goal of rung 2/)).toBeFocused(); // on what was just made
  await page.keyboard.press('Enter');
  for (const [region, amount] of [
    ['Home', '95'],
    ['EU', '110'],
    ['UK', '90'],
    ['Japan', '15000'],
  ])
    await panel(page)
      .getByLabel(new RegExp(`^\\s*${region}`))
      .fill(amount);
  await save(page);
  await expect(page.getByLabel('Goal of rung 2: €95.00')).toBeFocused();
  await page.getByLabel(/^Reward of rung 2/).click();
  await panel(page).getByLabel('What is given').selectOption('order_percent');
  await expect(panel(page).getByText('For these methods')).toBeHidden(); // only what applies
  await panel(page).getByLabel('How much').fill('10');
  await save(page);
  await expect(page.locator('#toast')).toContainText('a goal cannot look at what its own reward changes');
  await expect(promise(page)).toContainText('the order is 10 % less');
  await expect(promise(page)).toContainText('Rung 2 counts goods after price cuts');
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  await end(page);
});

test('a reward that is not right keeps its kind and what was typed', async ({ page }) => {
  await begin(page, 'Wrong reward');
  await page.getByLabel(/^Reward of rung 1/).click();
  await panel(page).getByLabel('What is given').selectOption('order_percent');
  await panel(page).getByLabel('How much').fill('150');
  await page.keyboard.press('Enter');
  await expect(panel(page).locator('.error')).toBeVisible();
  await expect(panel(page).getByLabel('What is given')).toHaveValue('order_percent');
  await expect(panel(page).getByLabel('How much')).toHaveValue('150');
  await expect(panel(page).getByLabel('How much')).toBeFocused();
  await page.keyboard.press('Enter'); // again: still refused, nothing else is saved
  await expect(panel(page).getByLabel('How much')).toHaveValue('150');
  await panel(page).getByLabel('How much').fill('12,5');
  await page.keyboard.press('Enter');
  await expect(promise(page)).toContainText('the order is 12.5 % less');
});

test('regions change what stands beside: preview, region, cart and axis', async ({ page }) => {
  await begin(page, 'Only Japan');
  await expect(marker(page)).toHaveAttribute('aria-valuetext', /€/);
  await page.getByLabel(/^Regions: /).click();
  await panel(page).getByLabel('Japan').check();
  await save(page);
  await expect(page.getByLabel('Regions: Japan')).toBeFocused();
  await expect(marker(page)).toHaveAttribute('aria-valuetext', /¥/);
  await expect(preview(page)).toContainText('¥');
  await expect(cart(page)).toContainText('¥');
  await expect(page.getByRole('combobox', { name: 'region', exact: true })).toHaveValue('jp');
  await expect(page.getByRole('region', { name: 'The way to the reward' })).toContainText('Japan, in JPY');
});

test('language, page and width are kept through changes and a reload', async ({ page }) => {
  await begin(page, 'Kept view');
  await page.getByRole('combobox', { name: 'language', exact: true }).selectOption('German');
  await expect(preview(page)).toContainText('kostenlos');
  await page.getByRole('combobox', { name: 'page', exact: true }).selectOption('Cart');
  await page.getByRole('button', { name: 'Phone' }).click();
  const kept = async () => {
    await expect(page.getByRole('combobox', { name: 'language', exact: true })).toHaveValue('de');
    await expect(page.getByRole('combobox', { name: 'page', exact: true })).toHaveValue('cart');
    await expect(page.getByRole('button', { name: 'Phone' })).toHaveAttribute('aria-pressed', 'true');
    await expect(page.locator('#preview-box')).toHaveClass(/preview-phone/);
  };
  await page.getByLabel(/^Goal of rung 1/).click();
  await panel(page)
    .getByLabel(/^\s*Home/)
    .fill('61');
  await save(page);
  await kept();
  await page.reload();
  await kept();
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  await expect(page.getByRole('combobox', { name: 'language', exact: true })).toHaveValue('de');
  await end(page);
});

test('a product is put into the cart beside it, counted up and taken out', async ({ page }) => {
  await page.goto(shop('nudges/winter-ladder'));
  await choose(page, 'Add a product', 'kittiwake fine', /Kittiwake, fine/);
  await expect(page.getByRole('combobox', { name: 'Add a product' })).toBeFocused();
  await expect(cart(page)).toContainText('Kittiwake');
  await cart(page)
    .getByRole('button', { name: /^One more of Kittiwake/ })
    .click();
  await expect(cart(page).getByRole('status').filter({ hasText: '2' }).first()).toBeVisible();
  for (let i = 0; i < 2; i++)
    await cart(page)
      .getByRole('button', { name: /^One less of Kittiwake/ })
      .click();
  await expect(page.locator('#bench-cart')).not.toContainText('Kittiwake');
  await expect(page.getByRole('combobox', { name: 'Add a product' })).toBeFocused(); // the last piece went
});

test('the axis holds a cart beyond the last rung, and a click anywhere on it moves the marker', async ({ page }) => {
  await page.goto(shop('nudges/winter-ladder'));
  await choose(page, 'Add a product', 'kittiwake fine', /Kittiwake, fine/);
  const more = cart(page).getByRole('button', { name: /^One more of Kittiwake/ });
  for (let i = 0; i < 4; i++) await more.click();
  await expect(marker(page)).toHaveAttribute('aria-valuetext', 'cart €332.00'); // 42.00 + 5 × 58.00
  expect(Number(await marker(page).getAttribute('aria-valuemax'))).toBeGreaterThan(33200);
  const track = (await page.locator('#bench-axis .axis-track').first().boundingBox())!;
  const knob = (await marker(page).boundingBox())!;
  expect(knob.x + knob.width / 2).toBeLessThan(track.x + track.width);
  await page.mouse.click(track.x + track.width * 0.1, track.y + track.height / 2); // on the filled part
  await expect(marker(page)).toHaveAttribute('aria-valuetext', /^alone €/);
  expect(await page.evaluate(() => getSelection()?.toString() ?? '')).toBe('');
  await expect(marker(page)).toBeFocused();
  await page.keyboard.press('Escape');
  await expect(marker(page)).toHaveAttribute('aria-valuetext', 'cart €332.00');
});

test('what stops publishing is said, leads there, and the address stays', async ({ page }) => {
  await begin(page, 'Stopped');
  const address = new URL(page.url()).pathname;
  await page.getByLabel(/^Where it shows/).click();
  const ticked = panel(page).getByRole('checkbox', { checked: true });
  while (await ticked.count()) await ticked.first().uncheck();
  await save(page);
  const stops = page.getByRole('link', { name: /stops? it/ });
  await stops.click();
  const checks = page.locator('#checks');
  await expect(checks).toBeFocused();
  const [list, axis] = [(await checks.boundingBox())!, (await page.locator('#bench-axis').boundingBox())!];
  expect(list.y + list.height, 'not under the axis').toBeLessThanOrEqual(axis.y + 1);
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.locator('#flash')).toContainText('Not published: ');
  expect(new URL(page.url()).pathname).toBe(address);
  await page.locator('#flash').getByRole('link', { name: 'See what stops it' }).click();
  await expect(checks).toBeInViewport();
  await page.goto(`${agonal}${address}/publish`);
  await expect(page.getByRole('heading', { name: 'Stopped' })).toBeVisible();
  await page.getByLabel('More', { exact: true }).click();
  await page.getByRole('button', { name: 'Delete this draft' }).click();
  await expect(page.getByText('is deleted.')).toBeVisible();
});

test('a time that cannot be is said, and what was typed stays', async ({ page }) => {
  await begin(page, 'Wrong time');
  const from = page.getByLabel(/^\s*From; empty/);
  const spring = new Date(Date.UTC(nextYear, 2, 31));
  spring.setUTCDate(31 - spring.getUTCDay()); // the last Sunday of March
  for (const [typed, say] of [
    [`${spring.toISOString().slice(0, 10)}T02:30`, /Clocks go forward/],
    ['0001-01-01T10:00', /year/],
    ['9999-12-31T10:00', /year/],
  ] as const) {
    if (!(await from.isVisible())) await page.getByLabel(/^When: /).click();
    await from.fill(typed);
    await panel(page).getByRole('button', { name: 'Save' }).click();
    await expect(panel(page).locator('.error')).toContainText(say);
    await expect(from).toHaveValue(typed);
    await expect(from).toBeFocused();
  }
  await from.fill(`${nextYear}-12-01T09:00`);
  await page.getByLabel(/^\s*Until; empty/).fill(`${nextYear}-11-01T09:00`);
  await panel(page).getByRole('button', { name: 'Save' }).click();
  await expect(panel(page).locator('.error')).toBeVisible();
  await expect(from).toHaveValue(`${nextYear}-12-01T09:00`);
  await expect(page.getByLabel(/^\s*Until; empty/)).toHaveValue(`${nextYear}-11-01T09:00`);
  await page.getByLabel(/^\s*Until; empty/).fill(`${nextYear + 1}-01-05T09:00`);
  await save(page);
  await expect(promise(page)).toContainText(`1 Dec ${nextYear}`); // with its year
  await expect(promise(page)).toContainText(`5 Jan ${nextYear + 1}`);
});

test('panels close when one tabs or clicks away, and by Escape; Cancel forgets', async ({ page }) => {
  await page.goto(shop('nudges/winter-ladder'));
  const goal = page.getByLabel('Goal of rung 1: €60.00');
  await goal.click();
  await panel(page)
    .getByLabel(/^\s*Home/)
    .fill('77');
  await panel(page).getByRole('button', { name: 'Cancel' }).click();
  await expect(open(page)).toHaveCount(0);
  await expect(goal).toBeFocused();
  await goal.click();
  await expect(panel(page).getByLabel(/^\s*Home/)).toHaveValue('€60.00');
  await page.keyboard.press('Escape');
  await expect(open(page)).toHaveCount(0);
  await expect(goal).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(open(page)).toHaveCount(1);
  await tabTo(page, /^Count only|^What counts|^Scope|^anything$/, 30);
  await expect(open(page)).toHaveCount(0); // no panel lies over the next part
  await goal.click();
  await page.getByRole('heading', { name: 'Winter ladder' }).click();
  await expect(open(page)).toHaveCount(0);
});

test('placeholders are put in by a click, and a wrong sentence stays as typed', async ({ page }) => {
  await begin(page, 'Worded');
  await page.locator('#part-say-not_yet > summary').click();
  const text = panel(page).locator('textarea');
  await text.fill('Still ');
  await panel(page)
    .getByRole('button', { name: /^Put in: .*(to add|add)/i })
    .first()
    .click();
  await expect(text).toHaveValue('Still {to_add}');
  await expect(text).toBeFocused();
  await page.keyboard.type(' to {nothing}');
  await panel(page).getByRole('button', { name: 'Save' }).click();
  await expect(panel(page).locator('.error')).toContainText('nothing');
  await expect(panel(page).locator('textarea')).toHaveValue('Still {to_add} to {nothing}');
  await panel(page).locator('textarea').fill('Still {to_add} to go.');
  await save(page);
  await expect(preview(page)).toContainText(/^Still €/);
});

test('words of eighty letters stay on the page, at any width', async ({ page }) => {
  const long = 'N' + 'a'.repeat(78) + 'h';
  await begin(page, long);
  for (const width of [1280, 390]) {
    await page.setViewportSize({ width, height: 800 });
    for (const url of [page.url(), shop('nudges'), page.url(), shop(`rehearsal?draft=${page.url().split('/').pop()}`)]) {
      await page.goto(url);
      await expect(page.locator('main')).toContainText(long);
      expect(await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth), `${url} at ${width}`).toBeLessThanOrEqual(
        0,
      );
    }
  }
});

test('a preview that shows another nudge says which', async ({ page }) => {
  await page.goto(shop('nudges/harbour-code'));
  await expect(page.locator('#preview-say')).toContainText('This nudge shows in the cart page; the top bar shows “Winter ladder”');
  await page.getByRole('combobox', { name: 'page', exact: true }).selectOption('Product');
  await expect(page.locator('#preview-say')).toContainText('This nudge does not show here');
  await expect(page.locator('#preview-say')).toContainText('the top bar shows “Winter ladder”');
  await page.goto(shop('nudges/winter-ladder'));
  await expect(page.locator('#preview-say')).toHaveText('This nudge shows in the top bar.');
});

test('parts of a sentence say what they are, to a screen reader', async ({ page }) => {
  await page.goto(shop('nudges/winter-ladder'));
  for (const name of ['Regions: Home or EU', 'Goal of rung 1: €60.00', 'Reward of rung 1: standard shipping is free', 'Goal of rung 2: €95.00'])
    await expect(page.locator(`summary[aria-label="${name}"]`), name).toBeVisible();
});

test('pause, end and delete can be undone, and the focus stays with the nudge', async ({ page }) => {
  await page.goto(shop('nudges'));
  const row = page.getByRole('article', { name: 'Harbour code' });
  await row.getByRole('button', { name: 'Pause Harbour code' }).click();
  await expect(row.getByRole('button', { name: 'Resume Harbour code' })).toBeFocused();
  await row.getByRole('button', { name: 'Resume Harbour code' }).click();
  await expect(row.getByRole('button', { name: 'Pause Harbour code' })).toBeFocused();
  await row.getByLabel(/^More for/).click();
  await row.getByRole('button', { name: 'End this nudge' }).click();
  await expect(page.getByText(/is ended now/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(row).toContainText('live, since');
  const draft = page.getByRole('article', { name: 'Parcels to Japan' });
  await draft.getByLabel(/^More for/).click();
  await draft.getByRole('button', { name: 'Delete this draft' }).click();
  await expect(draft).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('It is back as it was.')).toBeVisible();
  await page.goto(shop('nudges'));
  await expect(draft).toBeVisible();
});

test('a rehearsal never holds itself, and keeps region, page and moment', async ({ page }) => {
  await page.goto(shop('rehearsal'));
  const once = async () => {
    await expect(page.locator('main')).toHaveCount(1);
    await expect(page.locator('#visit')).toHaveCount(1);
  };
  await choose(page, 'Add a product', 'brine 30', /Brine, 30 ml/);
  const quantity = page.getByLabel('Quantity of Brine, 30 ml');
  await expect(quantity).toHaveValue('1');
  await page.getByLabel('Where the order goes').selectOption('Japan');
  await expect(page.getByRole('region', { name: 'The order' })).toContainText('¥');
  await once();
  await page.getByLabel('Page').selectOption('Product pages');
  await page.getByLabel('Moment').fill(`${nextYear}-05-05T10:00`);
  await page.getByLabel('Code entered').fill('HARBOUR10');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('article', { name: 'Harbour code' })).not.toContainText('Its code was not entered.');
  await once();
  await expect(quantity).toHaveValue('1'); // nothing was put in twice
  await quantity.fill('3');
  await quantity.press('Enter');
  await expect(page.getByRole('region', { name: 'The order' })).toContainText('¥6,600'); // 3 × ¥2,200
  for (const act of [() => page.reload(), () => page.goBack(), () => page.goForward()]) {
    await act();
    await once();
  }
  await expect(quantity).toHaveValue('3');
  await expect(page.getByLabel('Where the order goes')).toHaveValue('jp');
  await expect(page.getByLabel('Page')).toHaveValue('product');
  await expect(page.getByLabel('Moment')).toHaveValue(`${nextYear}-05-05T10:00`);
  await page.getByRole('button', { name: 'Remove Brine, 30 ml' }).click();
  await expect(quantity).toHaveCount(0);
  await once();
});

test('an import shows old and new prices, and is cancelled without a trace', async ({ page }) => {
  const file = (price: string) => `product,title,sku,price EUR\noar,Oar,OAR,${price}\n`;
  const upload = async (price: string) => {
    await page.goto(shop('shop/import'));
    await page.getByLabel(/A CSV file/).setInputFiles({ name: 'oar.csv', mimeType: 'text/csv', buffer: Buffer.from(file(price)) });
    await page.getByRole('button', { name: 'See what would change' }).click();
  };
  await upload('20.00');
  await page.getByRole('button', { name: 'Import 1 new variant' }).click();
  await expect(page.getByText('The file is imported.')).toBeVisible();
  await upload('25.00');
  await expect(page.getByRole('row', { name: /OAR/ }).getByRole('cell')).toHaveText(['Oar OAR', 'price EUR', '20.00', '25.00']);
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.locator('#flash')).toContainText('is cancelled; nothing was changed');
  await page.goto(`${lindquill}/products/oar`);
  await upload('25.00');
  await expect(page.getByRole('button', { name: 'Import 1 changed variant' })).toBeVisible();
  await page.goto(shop('shop/import'));
  await page.getByLabel(/A CSV file/).setInputFiles({ name: 'semi.csv', mimeType: 'text/csv', buffer: Buffer.from(file('1.00').replaceAll(',', ';')) });
  await page.getByRole('button', { name: 'See what would change' }).click();
  await expect(page.getByText(/semicolon/)).toBeVisible();
});

test("another shop's board does not lead to Lindquill", async ({ page, browser }) => {
  await page.goto(shop('nudges'));
  await expect(page.getByRole('link', { name: 'See the shop' })).toBeVisible();
  const other = await (await browser.newContext()).newPage();
  await other.goto(`${agonal}/account/new`);
  await other.getByLabel('Your name').fill('Una Kade');
  await other.getByLabel('E-mail').fill('una@kade.example');
  await other.getByLabel(/^\s*Password/).fill('a-long-password');
  await other.getByRole('button', { name: 'Create account' }).click();
  await expect(other.getByText('You have no shop yet.')).toBeVisible();
  await other.getByLabel('Name').fill('Una pots');
  await other.getByRole('button', { name: 'Make the shop' }).click();
  await other.getByRole('link', { name: 'Nudges' }).click();
  await expect(other.getByText('No nudge yet.')).toBeVisible();
  await expect(other.getByRole('link', { name: 'See the shop' })).toHaveCount(0);
});

test('whom it is for is a sentence of conditions, judged for the cart beside it', async ({ page }) => {
  await begin(page, 'For whom');
  const rows = page.locator('.condition');
  await page.getByRole('button', { name: '+ condition' }).click();
  await expect(panel(page)).toBeVisible(); // what was made is open
  await panel(page).getByLabel('What is asked').selectOption('signed_in');
  await expect(panel(page).getByLabel(/^\s*The shopper/)).toBeVisible(); // another question has other fields
  await save(page);
  await expect(rows).toHaveText([/all of these/, /the shopper is signed in/]);
  await expect(rows.nth(1).locator('.truth')).toHaveText('◌ not known');
  await page.getByLabel(/^\s*shopper/).selectOption('new');
  await expect(rows.nth(1).locator('.truth')).toHaveText('○ false');
  await page.getByLabel(/^\s*shopper/).selectOption('known');
  await expect(rows.nth(1).locator('.truth')).toHaveText('● true');

  await page.getByRole('button', { name: '+ group' }).click();
  await panel(page).getByLabel('How these stand together').selectOption('none');
  await save(page);
  await expect(rows).toHaveText([/all of these/, /the shopper is signed in/, /and\s+none of these/, /the cart holds at least 2 pieces/]);
  await expect(rows.nth(3).locator('.truth')).toHaveText('● true'); // three pieces lie beside it
  await expect(rows.nth(0).locator('.truth')).toHaveText('○ false');
  await page.getByLabel(/^Condition: the cart holds/).click();
  await panel(page).getByLabel('At least; empty: any').fill('4');
  await page.keyboard.press('Enter');
  await expect(rows.nth(3).locator('.truth')).toHaveText('○ false');
  await expect(rows.nth(0).locator('.truth')).toHaveText('● true');
  await page.getByLabel(/^Condition: the cart holds/).click();
  await panel(page).getByRole('button', { name: 'Remove this condition' }).click();
  await expect(rows).toHaveText([/all of these/, /the shopper is signed in/]); // an empty group asks nothing
  await throwAway(page);
});

test('a rung gives something more, and rows leave the line of what is as usual', async ({ page }) => {
  await begin(page, 'More at once');
  await page.getByLabel(/^Reward of rung 1/).click();
  await panel(page).getByRole('button', { name: 'Give something more here' }).click();
  await expect(panel(page).getByRole('button', { name: 'Remove this reward' })).toBeVisible();
  await panel(page).getByLabel('What is given').selectOption('gift');
  await expect(panel(page).getByText('The amount, in each region')).toBeHidden();
  await panel(page)
    .getByRole('combobox', { name: /^These/ })
    .fill('quay');
  await page.getByRole('option', { name: /quay/i }).first().click();
  await panel(page).getByLabel('How many', { exact: true }).fill('2');
  await save(page);
  await expect(page.getByLabel(/^Reward 2 of rung 1: 2 × .*Quay.* are a gift/)).toBeVisible();
  await page.getByLabel(/^Reward 2 of rung 1/).click();
  await panel(page).getByRole('button', { name: 'Remove this reward' }).click();
  await expect(page.getByLabel(/^Reward of rung 1: standard shipping is free/)).toBeVisible();

  await page.getByLabel(/^Limits: without a limit/).click();
  await panel(page).getByLabel('Orders in all; empty: no limit').fill('one');
  await page.keyboard.press('Enter');
  await expect(panel(page).getByText('Write a whole number from 0')).toBeVisible();
  await panel(page).getByLabel('Orders in all; empty: no limit').fill('100');
  await save(page);
  await expect(page.getByLabel('Limits: for 100 orders in all')).toBeVisible();
  await page.getByLabel(/^Beside others: /).click();
  await panel(page)
    .getByLabel(/^\s*Exclusive group/)
    .fill('winter');
  await save(page);
  await expect(page.getByLabel('Beside others: one of the group “winter” at a time')).toBeVisible();
  await page.getByLabel(/^How often: /).click();
  await panel(page).getByLabel('Hide it once everything is reached').check();
  await save(page);
  await expect(page.getByLabel('How often: shows until everything is reached')).toBeVisible();
  await page.getByLabel(/^What counts: /).click();
  await expect(panel(page).getByText(/^Counts \d+ variants in Home today/)).toBeVisible();
  await throwAway(page);
});

test('the preview finds a cart for each state of a nudge', async ({ page }) => {
  await page.goto(shop('nudges/winter-ladder'));
  const state = page.getByLabel(/^\s*with/);
  for (const [which, said] of [
    ['a cart that has not reached it', 'Add €30.00 and get free standard shipping.'],
    ['a cart that is one step away', 'Just €3.00 more: free standard shipping.'],
    ['a cart that has reached it', 'Yours: express for at most €4.90.'],
    ['a cart that has lost it again', 'Add €3.00 to have free standard shipping back.'],
  ]) {
    await state.selectOption(which);
    await expect(preview(page)).toContainText(said);
  }
  await page
    .getByRole('button', { name: /^One more of/ })
    .first()
    .click(); // the cart itself counts again
  await expect(state).toHaveValue('');
  await expect(preview(page)).not.toContainText('back');
});

test('a visit is played, kept, and tried again before anything is published', async ({ page }) => {
  test.setTimeout(180_000);
  await signIn(page);
  await page.goto(shop('rehearsal?sku=HARBLU-30&qty.HARBLU-30=2&page=cart'));
  const of = (name: string) => page.getByRole('article', { name, exact: true });
  // What the shopper does with a nudge is remembered for the rest of the visit, and taken back.
  await of('Winter ladder').getByRole('link', { name: 'close it' }).click();
  await expect(of('Winter ladder')).toContainText('The shopper closed it in this visit.');
  await expect(page.getByText('“Winter ladder” was closed.')).toBeVisible();
  await page.getByRole('link', { name: 'Undo' }).click();
  await expect(of('Winter ladder')).toContainText('Shows in the');
  await of('Winter ladder').getByRole('link', { name: 'count it as shown' }).click();
  await expect(page.getByText('“Winter ladder” was shown.')).toBeVisible();
  await page.reload();
  await page.getByRole('link', { name: 'Begin the visit anew' }).click();
  await expect(page.getByText('So far in this visit')).toHaveCount(0);
  // An offer is taken at its price.
  await page.getByRole('checkbox', { name: 'A bottle instead' }).check();
  await page.getByLabel('Page').selectOption('Product pages');
  await page.getByLabel('What has just happened').selectOption('The shopper has added something');
  await choose(page, 'Add a product', 'beacon red 4', /Beacon Red, 4 ml/);
  await of('A bottle instead')
    .getByRole('link', { name: /^take Beacon Red/ })
    .click();
  await expect(page.getByText('Beacon Red, 30 ml was taken from “A bottle instead”.')).toBeVisible();
  await page.goto(shop('rehearsal?sku=HARBLU-30&qty.HARBLU-30=2&page=cart'));
  // From what does not show to where that is decided.
  await of('Harbour code').getByRole('link', { name: 'Where that is decided' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Harbour code' })).toBeVisible();
  await page.goBack();

  // It is kept under a name.
  const name = page.getByLabel(/What it shows/);
  const keep = page.getByRole('button', { name: 'Keep it with what is decided now' });
  await keep.click();
  await expect(page.getByText('Give the visit a name of 1 to 80 characters.')).toBeVisible();
  await name.fill('Two bottles of blue');
  await name.press('Enter');
  await expect(page.getByText('“Two bottles of blue” is kept.')).toBeVisible();
  await expect(page.getByRole('link', { name: '1 visit is kept' })).toBeVisible();
  await page.goto(shop('rehearsal?sku=HARBLU-30&page=cart'));
  await name.fill('Two bottles of blue');
  await keep.click();
  await expect(page.getByText('There is a visit called “Two bottles of blue” already.')).toBeVisible();
  await expect(name).toHaveValue('Two bottles of blue');
  await page.getByRole('link', { name: '1 visit is kept' }).click();
  await expect(page.getByText('All as expected.')).toBeVisible();

  // A draft that changes it is not published before that was seen.
  await begin(page, 'Free from five');
  await page.getByLabel(/^Goal of rung 1/).click();
  await panel(page).getByLabel('Home').fill('5');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Goal of rung 1: €5.00')).toBeVisible();
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Kept visits' })).toBeVisible();
  await expect(page.getByText('Nothing is published yet.')).toBeVisible();
  const differs = page.getByRole('region', { name: 'What differs in Two bottles of blue' });
  await expect(differs.getByRole('row', { name: /^Shipping/ })).toContainText('€0.00');
  await page.getByRole('link', { name: 'Back to the draft' }).click();
  await expect(page.getByRole('button', { name: 'Publish revision 1' })).toBeVisible();
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await page.getByRole('button', { name: 'Publish revision 1 all the same' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  const nudge = page.url();

  // What is decided now is expected from then on.
  await page.goto(shop('rehearsal/kept'));
  await expect(page.getByText('1 of 1 visit is not as expected any more.')).toBeVisible();
  await page.getByRole('button', { name: 'Expect it as decided now: Two bottles of blue' }).click();
  await expect(page.getByText('All as expected.')).toBeVisible();
  await page.goto(nudge);
  await end(page);
  await page.goto(shop('rehearsal/kept'));
  await page.getByRole('button', { name: 'Expect all of it as decided now' }).click();
  await expect(page.getByText('All as expected.')).toBeVisible();
  await page.getByRole('button', { name: 'Keep it no more: Two bottles of blue' }).click();
  await expect(page.getByText('No visit is kept yet.')).toBeVisible();
});

test('several nudges at once: looked for, paused, resumed, and taken back', async ({ page }) => {
  await signIn(page);
  const row = (name: string) => page.getByRole('article', { name, exact: true });
  const tick = (name: string) => page.getByLabel(`Tick ${name}`);
  // Looking leaves what is like it, and says where nothing is.
  await page.getByLabel('Look for a nudge').fill('notebooks');
  await page.keyboard.press('Enter');
  await expect(row('Notebooks by the stack')).toBeVisible();
  await expect(row('Harbour code')).toHaveCount(0);
  await expect(page.getByRole('button', { name: /^Place 1/ })).toHaveCount(0); // an order is an order of all
  await page.getByLabel('Look for a nudge').fill('nothing like this');
  await page.getByRole('button', { name: 'Look', exact: true }).click();
  await expect(page.getByText('No nudge is like that.')).toBeVisible();
  await page.getByRole('link', { name: 'See all of them' }).click();
  await page.getByLabel('State').selectOption('draft');
  await page.getByRole('button', { name: 'Look', exact: true }).click();
  await expect(row('Paper by the kilo')).toBeVisible();
  await expect(row('Harbour code')).toHaveCount(0);
  await expect(tick('Paper by the kilo')).toHaveCount(0); // what was never published cannot be paused
  await page.getByRole('link', { name: 'all of them' }).click();

  const pause = page.getByRole('button', { name: 'Pause', exact: true });
  await pause.click();
  await expect(page.getByText('Tick the nudges first that this is about.')).toBeVisible();
  await tick('Harbour code').check();
  await tick('Notebooks by the stack').focus();
  await page.keyboard.press('Space');
  await pause.dblclick();
  await expect(page.getByText('2 nudges are paused now.')).toBeVisible();
  await expect(row('Harbour code')).toContainText('paused');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('They are as before.')).toBeVisible();
  await expect(row('Harbour code')).toContainText('live, since');
  await expect(row('Notebooks by the stack')).toContainText('live, since');
  // Times for both: what is in force has them at once, and loses them again.
  const times = async (until: string) => {
    await tick('Harbour code').check();
    await tick('Notebooks by the stack').check();
    await page.getByText('Set times', { exact: true }).click();
    await page.getByLabel('Until; empty: without an end').fill(until);
    await page.getByRole('button', { name: 'Set these times' }).dblclick();
  };
  await times('2024-01-31T23:59');
  await expect(page.getByText(/The year 2024 is too far away/)).toBeVisible();
  await times(`${nextYear}-01-31T23:59`);
  await expect(page.getByText('2 nudges are in force by the new times.')).toBeVisible();
  await expect(row('Harbour code')).toContainText(/until .*31 Jan/);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(row('Harbour code')).not.toContainText('31 Jan');
  await tick('Harbour code').check();
  await page.getByRole('button', { name: 'End', exact: true }).click();
  await expect(page.getByText('“Harbour code” is ended now.')).toBeVisible();
  await tick('Harbour code').check();
  await page.getByRole('button', { name: 'Resume', exact: true }).click();
  await expect(page.getByText('“Harbour code” is live now.')).toBeVisible();
  // What somebody else has changed meanwhile is not taken back over their head.
  await tick('Harbour code').check();
  await pause.click();
  await expect(page.getByText('“Harbour code” is paused now.')).toBeVisible();
  const other = await page.context().newPage();
  await other.goto(shop('nudges/harbour-code'));
  await other.getByRole('button', { name: 'Resume' }).click();
  await expect(other.getByText(/is live now/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Nothing was changed.')).toBeVisible();
  await expect(row('Harbour code')).toContainText('live, since');
});

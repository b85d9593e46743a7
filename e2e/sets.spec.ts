// Sets that shoppers put together: from the starting point to orders, and what may go
// wrong on the way; a gift that is offered in a dialog; goods that come back.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, elsewhere, fillAddress, lindquill, ownPage, putIn, signIn } from './servers';
import { begin, click, decided, drawer, euros, live, order, panel, publish, restAfterwards, save, soon } from './story';

restAfterwards();

const builder = (page: Page) => page.locator('agonal-nudge[place=set_builder]');
const choose1 = async (page: Page, name: string) => {
  const had = await builder(page).locator('.places .full').count();
  await builder(page)
    .getByRole('button', { name: new RegExp(`^(choose|one more): ${name}`) })
    .click();
  await expect(builder(page).locator('.places .full')).toHaveCount(had + 1);
};

test('a set that shoppers put together: places, page, cart and order', async ({ page, context }) => {
  test.setTimeout(180_000);
  await begin(page, 'A set that shoppers put together');
  await expect(page.getByLabel('Slot: 3 to 5 in all')).toBeVisible();
  await click(page, page.getByLabel(/^What counts: Inks/));
  await panel(page).getByText('seldom needed').click();
  await panel(page)
    .getByLabel(/Count only goods whose choice is/)
    .fill('size = 4 ml');
  await save(page);
  await click(page, page.getByLabel(/^Reward of rung 1/));
  await panel(page)
    .getByLabel(/^\s*Home/)
    .first()
    .fill('8.00');
  await save(page);

  // The places: filled and emptied by keys and by pressing them, a number dragged and back.
  const places = page.getByRole('slider', { name: 'Pieces in the set' });
  const filled = page.locator('#axis-draw .place.filled');
  await places.focus();
  for (let n = await filled.count(); n > 0; n--) {
    await page.keyboard.press('ArrowLeft');
    await expect(filled).toHaveCount(n - 1);
  }
  for (let n = 1; n <= 3; n++) {
    await page.keyboard.press('ArrowRight');
    await expect(filled).toHaveCount(n);
  }
  await expect(page.locator('.places-say')).toContainText('€8.00 for all of it instead of €9.60.');
  await filled.last().click();
  await expect(page.locator('#axis-draw .place.open')).toHaveCount(1);
  await expect(page.locator('#bench-cart')).toContainText('then to pay €1.60 more'); // 8.00 instead of 6.40
  await page.locator('#axis-draw .place.open').click();
  await expect(filled).toHaveCount(3);
  const preview = page.frameLocator('#preview');
  await expect(preview.getByText('€8.00 for all of it instead of €9.60.')).toBeVisible();
  const drag = async (to: number) => {
    const box = (what: string) => page.locator(`#axis-draw ${what}`).evaluate((e) => e.getBoundingClientRect().toJSON() as DOMRect);
    const from = await box('.tier[data-rung="1"] .tier-grip');
    const place = await box(`.place:nth-of-type(${to}) .place-box`);
    await page.mouse.move(from.x + from.width / 2, from.y + 12);
    await page.mouse.down();
    await page.mouse.move(place.x + place.width, from.y + 12, { steps: 4 });
    await page.mouse.up();
  };
  await expect(async () => {
    await drag(4);
    await expect(page.getByLabel('Goal of rung 2: 4 pieces')).toBeVisible(soon);
  }).toPass();
  await click(page, page.getByText('as a table', { exact: true }));
  await expect(page.locator('#axis-table').getByRole('row', { name: /^3 / })).toContainText('€9.60 → €8.00');
  await page.keyboard.press('Escape');
  // Four for more than they cost by themselves is no offer: it is said, and does not go live.
  await expect(page.getByText('things stop it').or(page.getByText('thing stops it'))).toBeVisible();
  await expect(async () => {
    await drag(5);
    await expect(page.getByLabel('Goal of rung 2: 5 pieces')).toBeVisible();
  }).toPass();
  await publish(page);
  const id = page.url().match(/nudges\/([^/?]+)/)![1];

  for (const width of [1280, 390]) {
    const shop = await context.newPage();
    await shop.setViewportSize({ width, height: 844 });
    await shop.context().clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
    await live(shop, '/', (s) => expect(s.getByRole('link', { name: 'Put your own set together' })).toBeVisible(soon));
    await shop.getByRole('link', { name: 'Put your own set together' }).click();
    const put = builder(shop).getByRole('button', { name: 'Add the set to the cart' });
    await expect(builder(shop)).toContainText('3 to go, then all of it for €8.00.');
    await expect(put).toHaveAttribute('aria-disabled', 'true');
    await choose1(shop, 'Harbour Blue, 4 ml');
    await choose1(shop, 'Kelp Green, 4 ml');
    await expect(builder(shop)).toContainText('1 to go, then all of it for €8.00. So far €6.40, one by one.');
    // What was begun is still there after a reload; a piece is taken out of its place.
    await shop.reload();
    await expect(builder(shop).locator('.places .full')).toHaveCount(2);
    await builder(shop).getByRole('button', { name: 'one fewer: Kelp Green, 4 ml' }).first().click();
    await expect(builder(shop)).toContainText('2 to go');
    await choose1(shop, 'Kelp Green, 4 ml');
    await choose1(shop, 'Kelp Green, 4 ml');
    await expect(builder(shop)).toContainText('€8.00 for all of it instead of €9.60.');
    await put.click();
    await expect(drawer(shop)).toContainText('Put your own set together');
    await expect(drawer(shop)).toContainText('€8.00');

    // Piece by piece: with one less the goods have their own prices again.
    await drawer(shop).getByRole('button', { name: 'Remove: Harbour Blue, 4 ml' }).click();
    await expect(drawer(shop)).toContainText('1 to go, then all of it for €8.00. So far €6.40, one by one.');
    // As one.
    await drawer(shop).getByRole('button', { name: 'Remove the set: Put your own set together' }).click();
    await expect(drawer(shop)).toContainText('Nothing in it yet.');

    await shop.goto(`${lindquill}/sets/${id}`);
    for (const name of ['Harbour Blue, 4 ml', 'Kelp Green, 4 ml', 'Beacon Red, 4 ml']) await choose1(shop, name);
    await put.click();
    await expect(drawer(shop)).toContainText('€8.00 for all of it');
    const build = { nudge: id, id: '1' };
    const d = await order(
      shop,
      ['HARBLU-4', 'KELGRE-4', 'BEARED-4'].map((sku) => ({ sku, quantity: 1, build })),
    );
    expect(d.builds![0].state).toBe('given');
    await shop.close();
  }
});

test('slot by slot, once or by a plan, and what fits no slot', async ({ page }) => {
  await live(page, '/sets/a-letter-a-week', (s) => expect(builder(s)).toContainText('A letter a week', soon));
  for (const name of ['Harbour Blue, 4 ml', 'Kelp Green, 4 ml', 'Beacon Red, 4 ml', 'Wax stick red, one']) await choose1(page, name);
  await expect(builder(page)).toContainText('€11.00 for all of it instead of €13.40.');
  // Two sticks of wax do not fit, and the goods cost what they cost.
  await choose1(page, 'Wax stick moss, one');
  await expect(builder(page)).toContainText('There is no room for');
  await expect(builder(page).getByRole('button', { name: 'Add the set to the cart' })).toHaveAttribute('aria-disabled', 'true');
  await builder(page).getByRole('button', { name: 'one fewer: Wax stick moss, one' }).first().click();
  await builder(page).getByRole('button', { name: 'one fewer: Wax stick red, one' }).first().click();
  await builder(page).getByRole('combobox').selectOption('2 months');
  await expect(builder(page)).toContainText('€8.00 for all of it instead of €9.30.'); // 3 × 3.10 by the plan
  await builder(page).getByRole('button', { name: 'Add the set to the cart' }).click();
  await expect(drawer(page)).toContainText('Comes every 2 months. Later parcels €8.37.'); // 3 × 2.79
  const lines = ['HARBLU-4', 'KELGRE-4', 'BEARED-4'].map((sku) => ({ sku, quantity: 1, plan: '2 months', build: { nudge: 'a-letter-a-week', id: '1' } }));
  const d = await order(page, lines);
  expect(d.builds![0].later).toBe(837);
  // Later parcels come once, however often one presses, and the plan ends; the merchant sees both.
  const plan = page.getByRole('region', { name: 'Your plan' });
  await expect(plan).toContainText('Later parcels so far: 0.');
  await plan.getByRole('button', { name: 'Send the next parcel' }).dblclick();
  await expect(page.getByText('Parcel 2 is on its way. We charged €8.37 for it.')).toBeVisible();
  await expect(plan).toContainText('Later parcels so far: 1.');
  await plan.getByRole('button', { name: 'End the plan' }).dblclick();
  await expect(plan.getByText('Your plan has ended. No more parcels are sent.')).toBeVisible();
  await expect(plan.getByRole('button')).toHaveCount(0);
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/results/a-letter-a-week`);
  for (const [row, many] of [
    ['begun, with a first parcel', '1'],
    ['later parcels', '1'],
    ['ended', '1'],
    ['going on at the end of the period', '0'],
    ['paid for what came later', '€8.37'],
  ])
    await expect(page.getByRole('row', { name: row })).toContainText(many);
  await page.getByRole('region', { name: 'Orders', exact: true }).getByRole('link').first().click();
  await expect(page.getByText('Later parcels: 1.')).toContainText('Renewed: 0. Paid for what came later: €8.37. It has ended.');
});

test('any five of a shelf at one price, as often as they fit', async ({ page, context }) => {
  await begin(page, 'So many for one price');
  await publish(page);
  for (const width of [1280, 390]) {
    const shop = await context.newPage();
    await shop.setViewportSize({ width, height: 844 });
    await shop.context().clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
    const four = [{ sku: 'HARBLU-4', quantity: 4 }];
    await expect(async () => {
      expect(decided({ lines: [{ sku: 'HARBLU-4', quantity: 5 }] }).to_pay).toBe(1300 + 590); // 5 × 3.20 for 13.00
    }).toPass({ timeout: 10_000 });
    await live(shop, '/products/harbour-blue', (s) => expect(s.locator('agonal-nudge[place=product_block]')).toContainText(/5 pieces|any 5/, soon));
    await putIn(shop, 'harbour-blue', '4 ml', 4);
    await expect(drawer(shop)).toContainText(euros(decided({ lines: four }).to_pay)); // not reached: its own price
    await shop.goto(`${lindquill}/cart`);
    const quantity = shop.getByRole('main').getByLabel(/^Quantity of Harbour Blue/);
    await quantity.fill('11');
    await quantity.press('Enter');
    await expect(shop.getByTestId('to-pay').first()).toHaveText(euros(2 * 1300 + 320 + 590)); // two sets and one more
    await quantity.fill('5');
    await quantity.press('Enter');
    await order(shop, [{ sku: 'HARBLU-4', quantity: 5 }]);
    await shop.close();
  }
});

test('a gift is offered in a dialog once it is earned, and not again after it was closed', async ({ page, context }) => {
  await begin(page, 'A gift from an amount');
  await click(page, page.getByLabel(/^Reward of rung 1/));
  await panel(page).getByLabel('What is given').selectOption('gift_pick');
  await panel(page).getByLabel('How many the shopper picks').fill('1');
  await save(page);
  await click(page, page.getByLabel(/^Where it shows/));
  await panel(page).getByLabel('dialog').check();
  await save(page);
  await publish(page);
  const shop = await context.newPage();
  await shop.context().clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
  const ask = shop.getByRole('dialog', { name: 'Choose your gift' });
  await live(shop, '/', (s) => expect(s.locator('agonal-nudge[place=top_bar]')).toContainText(/as a gift|Add/, soon));
  await putIn(shop, 'kittiwake', 'fine');
  await putIn(shop, 'kittiwake', 'medium');
  // One dialog at a time: after the cart's it is its turn.
  await expect(drawer(shop)).toBeVisible();
  await expect(ask).toBeHidden();
  await drawer(shop).getByRole('button', { name: 'Close' }).click();
  await expect(ask).toBeVisible();
  await ask.getByRole('button', { name: 'Close' }).click();
  await expect(ask).toBeHidden();
  await shop.goto(lindquill);
  await shop.waitForTimeout(1500);
  await expect(ask).toBeHidden();
  // Lost and newly earned, it is offered again; taken, it lies in the cart.
  await shop.goto(`${lindquill}/cart`);
  const quantity = shop.getByRole('main').getByLabel(/^Quantity of Kittiwake/);
  await quantity.last().fill('0');
  await quantity.last().press('Enter');
  await shop.waitForTimeout(1200);
  await putIn(shop, 'kittiwake', 'medium');
  await drawer(shop).getByRole('button', { name: 'Close' }).click();
  await expect(ask).toBeVisible();
  await ask
    .getByRole('button', { name: /^Take this/ })
    .first()
    .click();
  await expect(ask).toBeHidden();
  await shop.goto(`${lindquill}/cart`);
  await expect(shop.getByRole('main').locator('tr.gift')).toHaveCount(1);
});

test('the cart drawer in a shop that has none: its button, its side, and what it asks the shop to change', async ({ page }) => {
  const html = `<!doctype html><html lang="en"><body><h1>A shop</h1>
    <agonal-cart side="left" launcher="filled" after="stay" code="off" checkout="/pay"><p>Wrapped in paper from the mill.</p></agonal-cart>
    <script type="application/json" id="agonal-request">{"cart":{"lines":[]},"moment":{"locale":"de"}}</script>
    <script src="${agonal}/embed/v1.js" data-key="pk_lindquill_demo"></script></body></html>`;
  const server = await ownPage(elsewhere, () => html);
  try {
    await usesDrawer(page);
  } finally {
    server.closeAllConnections();
    server.close();
  }
});

async function usesDrawer(page: Page) {
  await page.goto(`http://127.0.0.1:${elsewhere}/`);
  const launcher = page.getByRole('button', { name: /^Warenkorb: / });
  await page.waitForFunction(() => (document.querySelector('agonal-cart') as { ready?: boolean } | null)?.ready);
  await expect(launcher).toBeHidden(); // nothing in it
  await page.evaluate(() => {
    const w = window as unknown as { Agonal: { update(r: object): void }; asked: unknown[] };
    w.asked = [];
    for (const kind of ['set', 'code', 'deliver', 'gift', 'add'])
      document.addEventListener(`agonal:${kind}`, (e) => w.asked.push([kind, (e as CustomEvent).detail]));
    w.Agonal.update({ cart: { lines: [{ sku: 'HARBLU-30', quantity: 2 }], destination: { country: 'DE' } }, moment: { locale: 'de' } });
  });
  await expect(launcher).toHaveText('Warenkorb228,00 €');
  await launcher.click();
  const cart = page.getByRole('dialog', { name: 'Warenkorb' });
  await expect(cart).toContainText('Zu zahlen');
  await expect(page.getByText('Wrapped in paper from the mill.')).toBeVisible();
  expect((await cart.boundingBox())!.x).toBe(0);
  await expect(cart.getByLabel('Code')).toHaveCount(0);
  await expect(cart.getByRole('link', { name: 'Zur Kasse' })).toHaveAttribute('href', '/pay');
  await cart.getByLabel(/^Anzahl: Harbour Blue/).fill('3');
  await page.keyboard.press('Tab');
  await cart.getByRole('button', { name: /^Entfernen: Harbour Blue/ }).click();
  const asked = await page.evaluate(() => (window as unknown as { asked: unknown[] }).asked);
  expect(asked).toEqual([
    ['set', { sku: 'HARBLU-30', quantity: '3' }],
    ['set', { sku: 'HARBLU-30', quantity: 0 }],
  ]);
  await page.evaluate(() => (document.querySelector('agonal-cart') as unknown as { refuse(t: string): void }).refuse('At most two of it.'));
  await expect(cart.getByRole('alert')).toHaveText('At most two of it.');
  await page.keyboard.press('Escape');
  await expect(cart).toBeHidden();
}

test('what runs out between cart and payment is said, and nothing is charged', async ({ page }) => {
  await signIn(page);
  await putIn(page, 'dunlin-a5', 'plain', 9999);
  await page.goto(`${lindquill}/checkout`);
  await fillAddress(page, 'Mira Tönnes');
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByText('Nothing was charged.')).toBeInViewport();
  await expect(page.getByText(/Only \d+ of Dunlin A5, plain are left\./)).toBeVisible();
});

test('goods come back: the refund by each way, the use of a limit, and the rest of the order', async ({ page }) => {
  await putIn(page, 'kittiwake', 'fine');
  await putIn(page, 'harbour-blue', '30 ml');
  const d = await order(page, [
    { sku: 'KIT-F', quantity: 1 },
    { sku: 'HARBLU-30', quantity: 1 },
  ]);
  expect(d.to_pay).toBe(5800 + 1400); // shipping is free from 60.00
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/shop/orders`);
  await page.getByRole('main').getByRole('link', { name: /^\d+$/ }).first().click();
  const back = page.getByRole('button', { name: 'Work out what goes back' });
  await page.getByLabel(/^Harbour Blue/).fill('2');
  await back.click();
  await expect(page.getByText('Write a whole number from 0 to 1.')).toBeVisible();
  await page.getByLabel(/^Harbour Blue/).fill('1');
  await back.click();
  // Without the ink shipping would have cost 5.90: 72.00 less 63.90.
  await expect(page.getByLabel('The shopper keeps them: €14.00 goes back')).toBeChecked();
  await page.getByLabel('The order is reckoned anew: €8.10 goes back').check();
  await page.getByRole('button', { name: 'Pay it back' }).dblclick();
  await expect(page.getByText('Written down: €8.10 goes back.')).toBeVisible();
  await expect(page.getByText('€8.10 of €72.00 was paid back.')).toBeVisible();
  await page.getByRole('button', { name: 'All of it: cancel the order' }).click();
  await expect(page.getByText('Everything is paid back, shipping too.')).toBeVisible();
  await page.getByRole('button', { name: 'Pay it back' }).click();
  await expect(page.getByText('€72.00 of €72.00 was paid back.')).toBeVisible();
  await expect(back).toHaveCount(0);
});

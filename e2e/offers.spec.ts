// What is offered during a visit: taken and declined, from its starting point to a placed
// order. What an offer says it costs is what the order then costs more.
import { expect, test, type Page } from '@playwright/test';
import { agonal, lindquill } from './servers';
import {
  atBothWidths,
  begin,
  click,
  decided,
  drawer,
  euros,
  live,
  order,
  panel,
  promise,
  publish,
  restAfterwards,
  save,
  shopFile,
  soon,
  type Line,
} from './story';

restAfterwards();

/** The nudge that the workbench shows. */
const idOf = (page: Page) => new URL(page.url()).pathname.split('/').at(-1)!;
const asks = (shop: Page, text: string) => shop.getByRole('dialog').filter({ hasText: text });
const stand = (page: Page) => page.getByRole('slider', { name: 'The moment' });

/** Puts one of a product in and does not wait for the cart: something may be asked first. */
async function put(shop: Page, product: string, option: string) {
  await shop.goto(`${lindquill}/products/${product}`);
  if (option) await shop.getByText(option, { exact: false }).first().click();
  await shop.getByRole('button', { name: 'Add to cart' }).click();
}

test('the next size in its place: asked once, swapped or kept', async ({ page, context }) => {
  test.setTimeout(240_000);
  await begin(page, 'The next size in its place');
  const id = idOf(page);
  const when = (does: string) => expect(promise(page).getByLabel(`Moment: ${does}`)).toBeVisible();
  await when('puts');
  await expect(promise(page).getByLabel('Reward of rung 1: the next size of it is offered instead at 10 % less')).toBeVisible();

  // The preview asks; 3.20 and 5.90 of shipping now, 12.60 and 5.90 then.
  const preview = page.frameLocator('#preview');
  const beside = page.getByRole('region', { name: 'The cart beside it' });
  await expect(preview.getByRole('dialog')).toContainText('Take Harbour Blue, 30 ml instead? You pay €9.40 more.');
  await expect(beside).toContainText('To pay €18.50');
  // The stand is moved by keys to the cart, and dragged back to where something is put in.
  await expect(stand(page)).toHaveAttribute('aria-valuetext', 'Item added');
  await stand(page).focus();
  await page.keyboard.press('ArrowRight');
  await expect(stand(page)).toHaveAttribute('aria-valuetext', 'Cart');
  await when('has');
  const mid = (what: string) =>
    page
      .locator(`#axis-draw ${what}`)
      .first()
      .evaluate((e) => {
        const r = e.getBoundingClientRect();
        return { x: r.x + r.width / 2, y: r.y + r.height / 2 };
      });
  await expect(async () => {
    const from = await mid('#marker .stand-box');
    const to = await mid('[data-station=added] .station-dot');
    const was = await mid('[data-station=cart] .station-dot');
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move(from.x + to.x - was.x, from.y, { steps: 5 });
    await page.mouse.move(to.x, from.y, { steps: 2 });
    await page.mouse.up();
    await expect(stand(page)).toHaveAttribute('aria-valuetext', 'Item added', soon);
  }).toPass();
  await when('puts');
  await page.locator('#axis-draw [data-station=checkout]').click();
  await expect(page.locator('#bench-view [name=page]')).toHaveValue('checkout');
  await page.getByText('as a table', { exact: true }).click();
  await expect(page.locator('#axis-table').getByRole('row', { name: /^Checkout/ })).toContainText('what it waits for has not just happened');
  await page.keyboard.press('Escape');
  await page.locator('#axis-draw [data-station=added]').click();
  await click(page, preview.getByRole('button', { name: 'Swap it: Harbour Blue, 30 ml' }));
  await expect(beside.getByRole('row', { name: 'To pay' })).toContainText('€18.50');
  await expect(preview.getByRole('dialog')).toHaveCount(0);
  await click(page, beside.getByRole('button', { name: 'One less of Harbour Blue, 30 ml' }));
  await expect(beside).toContainText('The cart is empty');
  await publish(page);

  const sample = { sku: 'HARBLU-4', quantity: 1 };
  const bottle = { sku: 'HARBLU-30', quantity: 1, origin: { kind: 'offer', nudge: id, instead: 'HARBLU-4' } };
  await expect(async () => expect(JSON.stringify(decided({ lines: [sample] }))).toContain(id)).toPass();
  const more = decided({ lines: [bottle] }).to_pay - decided({ lines: [sample] }).to_pay;
  await atBothWidths(context, async (shop) => {
    const dialog = asks(shop, 'Take Harbour Blue, 30 ml instead?');
    await live(shop, '/products/harbour-blue', async (s) => {
      await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
      await put(s, 'harbour-blue', '4 ml');
      await expect(dialog).toBeVisible(soon);
    });
    await expect(dialog).toContainText(`You pay ${euros(more)} more.`);
    await expect(shop.getByRole('dialog')).toHaveCount(1);
    await dialog.getByRole('button', { name: /^Swap it/ }).click();
    await expect(drawer(shop)).toContainText('Harbour Blue, 30 ml');
    await expect(drawer(shop)).not.toContainText('4 ml');
    await shop.reload();
    await expect(dialog).toHaveCount(0);
    await order(shop, [bottle as Line]);
  });
  await atBothWidths(context, async (shop) => {
    const dialog = asks(shop, 'instead?');
    await put(shop, 'harbour-blue', '4 ml');
    await dialog.getByRole('button', { name: 'Keep what I have' }).click();
    await expect(drawer(shop)).toContainText('Harbour Blue, 4 ml');
    await put(shop, 'beacon-red', '4 ml'); // declined is quiet for the visit
    await expect(drawer(shop)).toContainText('Beacon Red, 4 ml');
    await shop.reload();
    await shop.waitForTimeout(600);
    await expect(dialog).toHaveCount(0);
    await order(shop, [sample, { sku: 'BEARED-4', quantity: 1 }]);
  });
});

test('something small beside it: one click adds it, the order costs what was said', async ({ page, context }) => {
  await begin(page, 'Something small beside it');
  const id = idOf(page);
  const preview = page.frameLocator('#preview');
  await expect(preview.getByRole('button', { name: /^Add it: / }).first()).toBeVisible();
  await publish(page);
  const pen = { sku: 'HARBLU-30', quantity: 1 };
  await expect(async () => expect(JSON.stringify(decided({ lines: [pen] }))).toContain(id)).toPass();
  const offer = (decided({ lines: [pen] }) as unknown as { offers: { nudge: string; items: { sku: string; price: number }[] }[] }).offers.find(
    (o) => o.nudge === id,
  )!.items[0];
  const taken = { sku: offer.sku, quantity: 1, origin: { kind: 'offer', nudge: id } };
  const more = decided({ lines: [pen, taken] }).to_pay - decided({ lines: [pen] }).to_pay;
  await atBothWidths(context, async (shop) => {
    await put(shop, 'harbour-blue', '30 ml');
    const block = drawer(shop).locator('agonal-nudge');
    await expect(block).toContainText(`You pay ${euros(more)} more.`);
    await block
      .getByRole('button', { name: /^Add it: / })
      .first()
      .click();
    await expect(drawer(shop).getByTestId('drawer-to-pay')).toHaveText(euros(decided({ lines: [pen, taken] }).to_pay));
    await order(shop, [pen, taken as Line]);
  });
  await atBothWidths(context, async (shop) => {
    await put(shop, 'harbour-blue', '30 ml');
    const block = drawer(shop).locator('agonal-nudge');
    await block.getByRole('button', { name: 'No, thank you' }).click();
    await expect(block.getByRole('button', { name: /^Add it/ })).toHaveCount(0);
    await shop.goto(`${lindquill}/cart`);
    await shop.waitForTimeout(600);
    await expect(shop.getByRole('main').getByRole('button', { name: /^Add it/ })).toHaveCount(0);
    await order(shop, [pen]);
  });
});

test('a tick at the checkout: the total follows without a reload, unticked it is gone', async ({ page, context }) => {
  await begin(page, 'A tick at the checkout');
  const id = idOf(page);
  const preview = page.frameLocator('#preview');
  await preview.getByRole('checkbox').check();
  await expect(page.getByRole('region', { name: 'The cart beside it' }).locator('.cart-line')).toHaveCount(2);
  await preview.getByRole('checkbox').uncheck();
  await expect(page.getByRole('region', { name: 'The cart beside it' }).locator('.cart-line')).toHaveCount(1);
  await click(page, page.locator('#part-places > summary'));
  for (const place of ['product_block', 'cart_page']) await panel(page).locator(`[name=placements][value=${place}]`).check();
  await save(page);
  await publish(page);
  const ink = { sku: 'HARBLU-30', quantity: 1 };
  const shopNow = shopFile();
  const offer = (decided({ lines: [ink] }, {}, shopNow) as unknown as { offers: { nudge: string; items: { sku: string }[] }[] }).offers.find(
    (o) => o.nudge === id,
  )!.items[0];
  const taken = { sku: offer.sku, quantity: 1, origin: { kind: 'offer', nudge: id } };
  await atBothWidths(context, async (shop) => {
    await put(shop, 'harbour-blue', '30 ml');
    await expect(drawer(shop)).toBeVisible();
    await live(shop, '/checkout', (s) => expect(s.getByRole('checkbox')).toBeVisible(soon));
    const total = shop.getByRole('main').getByTestId('to-pay');
    await shop.evaluate(() => ((window as unknown as { same: boolean }).same = true));
    await shop.getByRole('checkbox').focus();
    await shop.keyboard.press('Space');
    await expect(total).toHaveText(euros(decided({ lines: [ink, taken] }, {}, shopNow).to_pay));
    await expect(shop.getByRole('checkbox')).toBeChecked();
    await expect(shop.getByRole('checkbox')).toBeFocused();
    await shop.keyboard.press('Space');
    await expect(total).toHaveText(euros(decided({ lines: [ink] }, {}, shopNow).to_pay));
    await expect(shop.getByRole('checkbox')).not.toBeChecked();
    await shop.getByRole('checkbox').check();
    await expect(total).toHaveText(euros(decided({ lines: [ink, taken] }, {}, shopNow).to_pay));
    expect(await shop.evaluate(() => (window as unknown as { same?: boolean }).same)).toBe(true);
    await order(shop, [ink, taken as Line]);
  });
  // The same tick on the pages before: put in on the product's, out and in again in the cart.
  await atBothWidths(context, async (shop) => {
    await put(shop, 'harbour-blue', '30 ml');
    await expect(drawer(shop)).toBeVisible();
    await shop.goto(`${lindquill}/products/harbour-blue`);
    await shop.locator('agonal-nudge[place=product_block]').getByRole('checkbox').check();
    await expect(shop.getByRole('link', { name: 'Cart, 2' })).toBeVisible();
    await shop.goto(`${lindquill}/cart`);
    const tick = shop.locator('agonal-nudge[place=cart_page]').getByRole('checkbox');
    const total = shop.getByRole('main').getByTestId('to-pay');
    await expect(tick).toBeChecked();
    await expect(total).toHaveText(euros(decided({ lines: [ink, taken] }, {}, shopNow).to_pay));
    await tick.uncheck();
    await expect(total).toHaveText(euros(decided({ lines: [ink] }, {}, shopNow).to_pay));
    await expect(tick).not.toBeChecked();
    await tick.check();
    await expect(total).toHaveText(euros(decided({ lines: [ink, taken] }, {}, shopNow).to_pay));
    await order(shop, [ink, taken as Line]);
  });
});

test('a word beside the cart: it names the product, leads where it says, and enters a code by a press', async ({ page, context }) => {
  await begin(page, 'A word about what is in the cart');
  const reward = () => page.getByLabel(/^Reward of rung 1/);
  await expect(page.frameLocator('#preview').locator('agonal-nudge[place=cart_drawer]').getByRole('link', { name: 'Have a look' })).toBeVisible();
  await click(page, reward());
  await panel(page).getByLabel('Where it leads').fill('/collections/Paper');
  await save(page);
  await expect(page.getByLabel('Reward of rung 1: something is said, with a link to /collections/Paper')).toBeVisible();
  await publish(page);
  const ink = { sku: 'HARBLU-30', quantity: 1 };
  await atBothWidths(context, async (shop) => {
    await live(shop, '/cart', async (s) => {
      await put(s, 'harbour-blue', '30 ml');
      await expect(drawer(s)).toContainText('Your Harbour Blue goes well with good paper.', soon);
    });
    await drawer(shop).getByRole('link', { name: 'Have a look' }).click();
    await expect(shop.getByRole('heading', { level: 1, name: 'Paper' })).toBeVisible();
    await shop.goto(`${lindquill}/cart`);
    const quantity = Number(
      await shop
        .getByRole('main')
        .getByLabel(/^Quantity of Harbour Blue/)
        .inputValue(),
    );
    await order(shop, [{ ...ink, quantity }]); // it gives nothing and takes nothing
  });

  await click(page, reward());
  await panel(page).getByLabel('Where it leads').fill('//elsewhere.example');
  await panel(page).getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText(/must be a path of the shop such as/i)).toBeVisible();
  await panel(page).getByLabel('Where it leads').fill('');
  await panel(page).getByLabel('The code that a press enters').fill('QUAYSIDE');
  await save(page);
  await page.getByRole('button', { name: 'Publish revision 2' }).click();
  await expect(page.getByText('Revision 2 is published.')).toBeVisible();
  await context.clearCookies({ name: 'agonal_visit' }); // a visit that was shown the first one keeps it for a while
  const shop = await context.newPage();
  await live(shop, '/cart', async (s) => {
    await s.context().clearCookies({ name: 'lq_cart' }); // tried again, the cart must not grow until others say more
    await put(s, 'harbour-blue', '30 ml');
    await expect(drawer(s).getByRole('button', { name: 'QUAYSIDE' })).toBeVisible(soon);
  });
  await drawer(shop).getByRole('button', { name: 'QUAYSIDE' }).click();
  await expect(drawer(shop)).toContainText('QUAYSIDE is not a code of ours.');
});

test('one thing more for the same parcel: charged once, whatever the payment does', async ({ page, context }) => {
  test.setTimeout(240_000);
  await begin(page, 'One thing more for the same parcel');
  const id = idOf(page);
  const preview = page.frameLocator('#preview');
  await expect(preview.getByRole('button', { name: /^Add it to my order: / })).toBeVisible();
  await expect(stand(page)).toHaveAttribute('aria-valuetext', 'Order placed');
  await publish(page);

  const ink = { sku: 'HARBLU-30', quantity: 1 };
  const yes = (shop: Page) => shop.getByRole('button', { name: /^Add it to my order: / });
  const more = async (shop: Page) => {
    const told = JSON.parse((await shop.locator('#agonal-order').textContent())!) as { offers: { nudge: string; items: { sku: string }[] }[] };
    const sku = told.offers.find((o) => o.nudge === id)!.items[0].sku;
    const taken = { sku, quantity: 1, origin: { kind: 'offer', nudge: id } };
    return decided({ lines: [ink, taken] }).to_pay - decided({ lines: [ink] }).to_pay;
  };
  const bought = async (shop: Page) => {
    await put(shop, 'harbour-blue', '30 ml');
    await expect(drawer(shop)).toBeVisible();
    return order(shop, [ink]);
  };
  const added = (shop: Page) => shop.getByText('is added to your order.');
  const first = await context.newPage();
  await bought(first);
  await live(first, new URL(first.url()).pathname, (s) => expect(yes(s)).toBeVisible(soon));
  await first.close();

  await atBothWidths(context, async (shop) => {
    const paid = (await bought(shop)).to_pay;
    const costs = await more(shop);
    await expect(shop.locator('agonal-nudge[place=after_purchase]')).toContainText(`You pay ${euros(costs)} more.`);
    await yes(shop).dblclick();
    await expect(added(shop)).toContainText(`We charged ${euros(costs)} for it.`);
    await expect(shop.getByText('Payment, simulated')).toBeHidden();
    await shop.reload();
    await shop.goBack();
    await shop.goForward();
    await expect(added(shop)).toHaveCount(1);
    await expect(yes(shop)).toHaveCount(0);
    // The merchant sees it on the order, and what the order comes to with it.
    const number = (await shop.getByText('Your order has the number').locator('strong').first().textContent())!;
    await page.goto(`${agonal}/s/lindquill/shop/orders/${number}`);
    await expect(page.getByRole('main')).toContainText(`charged ${euros(costs)}`);
    await expect(page.getByRole('row', { name: /^Paid/ })).toContainText(euros(paid + costs));
  });
  await atBothWidths(context, async (shop) => {
    await bought(shop);
    await shop.getByRole('button', { name: 'No, thank you' }).click();
    await expect(yes(shop)).toHaveCount(0);
    await expect(shop.getByText('Payment, simulated')).toBeHidden();
    await shop.reload();
    await shop.waitForTimeout(600);
    await expect(yes(shop)).toHaveCount(0);
  });
  // A card that is declined, a payment that hangs, and then two windows at once.
  const shop = await context.newPage();
  await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
  await bought(shop);
  for (const [how, say] of [
    ['A card that is declined', 'The card was declined. Nothing was charged'],
    ['A payment that does not answer', 'The payment did not answer in time. Nothing was charged'],
  ]) {
    await shop.getByLabel(how).check();
    await yes(shop).click();
    await expect(shop.getByRole('status').filter({ hasText: say })).toBeVisible();
    await expect(added(shop)).toHaveCount(0);
    await expect(yes(shop)).toBeVisible();
  }
  const other = await context.newPage();
  await other.goto(shop.url());
  await Promise.all([yes(shop).click(), yes(other).click()]);
  for (const tab of [shop, other]) {
    await tab.goto(shop.url());
    await expect(added(tab)).toHaveCount(1);
  }
  const number = (await shop.getByText('Your order has the number').locator('strong').first().textContent())!;
  await page.goto(`${agonal}/s/lindquill/shop/orders/${number}`);
  await expect(page.getByText(/1 × .* offered by/)).toHaveCount(1);
});

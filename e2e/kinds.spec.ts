// Each kind of nudge from its starting point to a placed order, and what may go wrong on
// the way.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, fillAddress, lindquill, putIn, signIn, topBar } from './servers';
import {
  atBothWidths,
  begin,
  begun,
  click,
  clicksSoFar,
  countAnew,
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
  type Decision,
  type Line,
} from './story';

restAfterwards();

test('cheaper by the number: table, hint, order', async ({ page, context }) => {
  await begin(page, 'Cheaper by the number');
  await click(page, page.getByLabel(/^What counts: anything/));
  await choose(page, 'Count only collections', 'Notebooks');
  await save(page);
  await expect(page.getByLabel('What counts: Notebooks')).toBeVisible();

  // The preview shows a notebook now, with the table; a step puts that many in.
  const preview = page.frameLocator('#preview');
  await expect(preview.getByRole('heading', { name: 'Dunlin A5' })).toBeVisible();
  await expect(preview.getByRole('cell', { name: '12 and more' })).toBeVisible();
  const pieces = page.getByRole('slider', { name: /^Pieces of Dunlin A5/ });
  await pieces.focus();
  await page.keyboard.press('End');
  await expect(pieces).toHaveAttribute('aria-valuenow', '14');
  for (let n = 14; n > 5; n--) await page.keyboard.press('ArrowLeft');
  await expect(pieces).toHaveAttribute('aria-valuenow', '5');
  await expect(preview.getByRole('row', { name: /3 – 5/ })).toContainText('you have 5');
  await click(page, page.locator('#axis-draw [data-step="2"]'));
  await expect(pieces).toHaveAttribute('aria-valuenow', '2');
  await click(page, page.getByText('as a table', { exact: true }));
  // 5 % of 12.90 is 0.645, which is 0.65 for one: three at 12.25 cost 36.75.
  await expect(page.locator('#axis-table').getByRole('row', { name: /^3 / })).toContainText('€36.75');
  await page.keyboard.press('Escape');

  // A tier is dragged from 3 to 4 pieces, and back.
  const drag = async (to: number) => {
    const box = (what: string) =>
      page
        .locator(`#axis-draw ${what}`)
        .first()
        .evaluate((e) => e.getBoundingClientRect().toJSON() as DOMRect);
    const from = await box('.tier .tier-grip');
    const step = await box(`[data-step="${to}"] .step-room`);
    await page.mouse.move(from.x + from.width / 2, from.y + 60);
    await page.mouse.down();
    await page.mouse.move(step.x + step.width / 2, step.y + 60, { steps: 4 });
    await page.mouse.up();
  };
  for (const n of [4, 3])
    await expect(async () => {
      await drag(n); // what is drawn anew just then is not caught
      await expect(page.getByLabel(`Goal of rung 1: ${n} pieces of one product`)).toBeVisible(soon);
      await expect(page.locator('#axis-draw .tier').first()).toHaveAttribute('data-at', String(n), soon);
    }).toPass();
  await publish(page);

  for (const width of [1280, 390]) {
    const shop = await context.newPage();
    await shop.setViewportSize({ width, height: 844 });
    await shop.context().clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
    await live(shop, '/products/dunlin-a5', (s) => expect(s.getByRole('button', { name: 'add 3' })).toBeVisible(soon));
    await shop.getByText('dotted', { exact: false }).first().click();
    await shop.getByRole('button', { name: 'add 3' }).click();
    await expect(drawer(shop)).toContainText('€36.75');
    await drawer(shop).getByRole('button', { name: 'Close' }).click();
    await expect(shop.getByRole('row', { name: /3 – 5/ })).toContainText('you have 3');
    await shop.goto(`${lindquill}/cart`);
    const quantity = shop.getByRole('main').getByLabel(/^Quantity of Dunlin A5/);
    await quantity.fill('5');
    await quantity.press('Enter');
    // Five at 12.25 are 61.25; six at 11.61 are 69.66.
    const hint = shop.getByRole('main').locator('agonal-line');
    await expect(hint).toContainText('1 more: each €11.61 instead of €12.25. You pay €8.41 more.');
    await hint.getByRole('button', { name: 'Add 1' }).click();
    await expect(shop.getByRole('main').getByLabel(/^Quantity of Dunlin A5/)).toHaveValue('6');
    await expect(shop.getByRole('main')).toContainText('€69.66');
    // Lost again: with two of them nothing is cheaper.
    await shop
      .getByRole('main')
      .getByLabel(/^Quantity of Dunlin A5/)
      .fill('2');
    await shop.keyboard.press('Enter');
    await expect(shop.getByTestId('to-pay').last()).toHaveText(euros(2580 + 590));
    await expect(hint).toContainText('1 more: each €12.25 instead of €12.90.');
    await hint.getByRole('button', { name: 'Add 1' }).click();
    await expect(shop.getByRole('main').getByLabel(/^Quantity of Dunlin A5/)).toHaveValue('3');
    const sku = await shop.getByRole('main').locator('agonal-line').first().getAttribute('sku');
    await order(shop, [{ sku: sku!, quantity: 3 }]);
    await shop.close();
  }

  // A shelf that it does not count shows no table.
  const shop = await context.newPage();
  await shop.goto(`${lindquill}/products/harbour-blue`);
  await expect(shop.getByRole('heading', { name: 'Harbour Blue' })).toBeVisible();
  await shop.waitForTimeout(700);
  await expect(shop.locator('agonal-nudge[place=product_block]')).toBeHidden();
});

test('a gift: put in by itself, taken out, back, lost and found, in the order', async ({ page, context }) => {
  await begin(page, 'A gift from an amount');
  await click(page, page.getByLabel(/^Reward of rung 1/));
  const chosen = panel(page).getByRole('list', { name: /^Chosen: These/ });
  for (let n = await chosen.getByRole('listitem').count(); n > 0; n--) await click(page, chosen.getByRole('button').first());
  await choose(page, /^These/, 'along the quay', /Sampler, along the quay/);
  await save(page);
  await expect(page.getByLabel(/^Reward of rung 1: .*quay.* is a gift/i)).toBeVisible();
  await publish(page);

  await atBothWidths(context, async (shop) => {
    await live(shop, '/', (s) => expect(topBar(s)).toContainText(/as a gift/, soon));
    await putIn(shop, 'harbour-blue', '30 ml', 5); // 70.00: not reached
    await expect(drawer(shop).getByText('a gift', { exact: true })).toHaveCount(0);
    await putIn(shop, 'harbour-blue', '30 ml'); // 84.00
    await expect(drawer(shop).getByText('a gift', { exact: true })).toBeVisible();
    await expect(drawer(shop)).toContainText('Sampler, along the quay');
    await shop.goto(`${lindquill}/cart`);
    const main = shop.getByRole('main');
    await main.getByRole('button', { name: /^Remove: Sampler/ }).click();
    await expect(main.getByText('You took your gift out')).toBeVisible();
    await shop.reload(); // it stays out
    await expect(main.getByText('You took your gift out')).toBeVisible();
    await expect(main.getByText('a gift', { exact: true })).toHaveCount(0);
    await main.getByRole('button', { name: /^Put it back/ }).click();
    await expect(main.getByText('a gift', { exact: true })).toBeVisible();

    // Lost with its goal, found again with it, and only once.
    await main.getByLabel(/^Quantity of Harbour Blue/).fill('5');
    await shop.keyboard.press('Enter');
    await expect(main.getByText('a gift', { exact: true })).toHaveCount(0);
    // The open cart says that it went, and what is missing to it: 80.00 less 70.00.
    await shop.getByRole('link', { name: /^Cart, / }).click();
    await expect(drawer(shop)).toContainText('Sampler, along the quay leaves the cart: €10.00 are missing to it.');
    await drawer(shop).getByRole('button', { name: 'Close' }).click();
    await main.getByLabel(/^Quantity of Harbour Blue/).fill('6');
    await shop.keyboard.press('Enter');
    await expect(main.getByText('a gift', { exact: true })).toHaveCount(1);
    const d = await order(shop, [{ sku: 'HARBLU-30', quantity: 6 }]);
    expect(d.gifts[0].state).toBe('added');
  });

  // The merchant's order lists it.
  await page.goto(`${agonal}/s/lindquill/shop/orders`);
  await page
    .getByRole('row', { name: /Arne Kolk/ })
    .first()
    .getByRole('link')
    .first()
    .click();
  await expect(page.getByRole('main')).toContainText('Sampler, along the quay');
});

test('a gift that the shopper picks', async ({ page, context }) => {
  await begin(page, 'A gift from an amount');
  await click(page, page.getByLabel(/^Reward of rung 1/));
  await panel(page).getByLabel('What is given').selectOption('gift_pick');
  await panel(page).getByLabel('How many the shopper picks').fill('1');
  await save(page);
  await expect(page.getByLabel(/^Reward of rung 1: 1 of .* or .* is a gift/)).toBeVisible();
  await publish(page);
  await atBothWidths(context, async (shop) => {
    await live(shop, '/', (s) => expect(topBar(s)).toContainText(/Add/, soon));
    await putIn(shop, 'harbour-blue', '30 ml', 6);
    await shop.goto(`${lindquill}/cart`);
    const choice = shop.getByRole('main').getByRole('region', { name: 'Choose your gift' });
    await expect(choice.getByRole('button', { name: /^Take this/ })).toHaveCount(2);
    await choice
      .getByRole('button', { name: /^Take this/ })
      .last()
      .click();
    const picked = shop.getByRole('main').locator('tr.gift');
    await expect(picked).toHaveCount(1);
    // Another one takes its place.
    await shop
      .getByRole('main')
      .getByRole('button', { name: /^Take this/ })
      .click();
    await expect(picked).toHaveCount(1);
    await shop.goto(`${lindquill}/checkout`);
    await expect(shop.getByTestId('to-pay').last()).toHaveText(euros(8400 + 590));
  });
});

test('three for two: the third costs nothing', async ({ page, context }) => {
  await begin(page, 'Buy some, one is free');
  await publish(page);
  await atBothWidths(context, async (shop) => {
    await live(shop, '/products/harbour-blue', (s) => expect(s.getByRole('heading', { name: 'Harbour Blue' })).toBeVisible(soon));
    await putIn(shop, 'harbour-blue', '30 ml', 2);
    const hint = drawer(shop).locator('agonal-line');
    await expect(async () => {
      await shop.goto(`${lindquill}/cart`);
      await shop.getByRole('link', { name: /^Cart, / }).click();
      await expect(hint).toContainText('1 more costs you nothing.', { timeout: 1500 });
    }).toPass({ timeout: 20_000 });
    await hint.getByRole('button', { name: 'Add 1' }).click();
    await expect(drawer(shop).getByLabel(/^Quantity: Harbour Blue/)).toHaveValue('3'); // two cost as much
    await expect(drawer(shop)).toContainText('€28.00');
    // Lost again with the third, and found with it.
    await drawer(shop)
      .getByLabel(/^Quantity: Harbour Blue/)
      .fill('2');
    await shop.keyboard.press('Enter');
    await expect(hint).toContainText('1 more costs you nothing.');
    await hint.getByRole('button', { name: 'Add 1' }).click();
    await expect(drawer(shop).getByLabel(/^Quantity: Harbour Blue/)).toHaveValue('3');
    await order(shop, [{ sku: 'HARBLU-30', quantity: 3 }]);
  });
});

test('money off the order, for everybody and by a code', async ({ page, context }) => {
  await begin(page, 'Money off the order from an amount');
  await publish(page);
  await atBothWidths(context, async (shop) => {
    await live(shop, '/', (s) => expect(topBar(s)).toContainText(/10 % off the order/, soon));
    await putIn(shop, 'harbour-blue', '30 ml', 6); // 84.00: not reached
    await expect(drawer(shop)).not.toContainText('−€');
    await putIn(shop, 'harbour-blue', '30 ml'); // 98.00
    await expect(drawer(shop)).toContainText('−€9.80');
    await order(shop, [{ sku: 'HARBLU-30', quantity: 7 }]);
  });
});

test('a code: wrong, right, used up between cart and payment', async ({ page, context, browser }) => {
  await begin(page, 'A code that takes a share off the order');
  await click(page, page.getByLabel(/^Limits/));
  await panel(page)
    .getByLabel(/Orders in all/)
    .fill('1');
  await save(page);
  await publish(page);
  const fast = await (await browser.newContext()).newPage();
  await putIn(fast, 'oyster-grey', '30 ml', 2);
  await atBothWidths(context, async (shop) => {
    const main = shop.getByRole('main');
    const enter = async (code: string) => {
      await main.getByLabel('Code, if you have one').fill(code);
      await main.getByRole('button', { name: 'Apply' }).click();
    };
    await putIn(shop, 'harbour-blue', '30 ml', 2);
    await shop.goto(`${lindquill}/cart`);
    await enter('harbour11');
    await expect(main.getByText('harbour11 is not a code of ours.')).toBeVisible();
    const comesTo = (said: string) =>
      expect(async () => {
        await enter('harbour10');
        await expect(main.getByText(said)).toBeVisible({ timeout: 1500 });
      }).toPass({ timeout: 30_000 });
    if (fast.isClosed()) return comesTo('harbour10 is used up.'); // the first visit has seen the only use go
    await comesTo('harbour10 is used.');
    await shop.goto(`${lindquill}/checkout`);
    await fillAddress(shop);
    await expect(shop.getByRole('button', { name: `Pay ${euros(2520 + 590)}` })).toBeVisible();
    // Somebody else pays first, with the same code.
    await fast.goto(`${lindquill}/cart`);
    await fast.getByRole('main').getByLabel('Code, if you have one').fill('HARBOUR10');
    await fast.getByRole('main').getByRole('button', { name: 'Apply' }).click();
    await order(fast, [{ sku: 'OYSGRE-30', quantity: 2 }], { codes: ['HARBOUR10'] });
    await fast.close();
    await shop.getByRole('button', { name: `Pay ${euros(2520 + 590)}` }).click();
    await expect(shop.getByRole('alert').filter({ hasText: 'is used up' })).toBeVisible();
    await expect(shop.getByText(/Nothing was charged/).first()).toBeVisible();
    await shop.getByRole('button', { name: `Pay ${euros(2800 + 590)}` }).click();
    await expect(shop.getByText('We charged')).toContainText(euros(2800 + 590));
  });
});

/** Numbers that look random and are the same every time. */
function seeded(seed: number) {
  return (below: number) => {
    seed = (seed * 1664525 + 1013904223) % 4294967296;
    return Math.floor((seed / 4294967296) * below);
  };
}

test('a ladder, a gift, a break, a set and a code at once: shop, rehearsal, API and program agree', async ({ page, playwright }) => {
  test.setTimeout(180_000);
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/nudges/five-colours-for-a-grey-week`);
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  begun.push('Five colours for a grey week');
  const file = shopFile();
  const shop = await playwright.request.newContext({ baseURL: lindquill });
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer sk_lindquill_demo' } });
  const toPay = (html: string, at: RegExp) => html.match(at)?.[1];

  const skus = ['DUNA5-P', 'DUNA5-D', 'CLOA5-L', 'HARBLU-4', 'OYSGRE-4', 'BEARED-4', 'HARBLU-30', 'STENIBUNI-F', 'STUNIBUNI-M', 'BOS-F'];
  const random = seeded(20261126);
  const cart = new Map<string, number>();
  let code = '';
  const given = new Set<string>();
  for (let change = 0; change < 50; change++) {
    if (random(6) === 0) {
      code = code ? '' : 'harbour10';
      await shop.post('/cart/code', { form: { back: '/cart', code } });
    } else {
      const sku = skus[random(skus.length)];
      const n = random(4) === 0 ? 0 : 1 + random(7);
      const had = cart.get(sku) ?? 0;
      if (n === 0) cart.delete(sku);
      else cart.set(sku, n);
      if (had) await shop.post('/cart/set', { form: { sku, quantity: String(n), back: '/cart', in: 'page' } });
      else if (n) await shop.post('/cart/add', { form: { sku, quantity: String(n), back: '/cart' } });
    }
    if (cart.size === 0) continue;
    const lines = [...cart].map(([sku, quantity]) => ({ sku, quantity }));
    const request = { lines, codes: code ? [code] : [] };
    const fromFile = decided(request, {}, file);
    const answer = await api.post('/v1/decisions', { data: { cart: { ...request, destination: { country: 'DE' } } } });
    const fromAPI = (await answer.json()) as Decision;
    expect(fromAPI.lines, `change ${change}`).toEqual(fromFile.lines);
    expect(fromAPI.gifts, `change ${change}`).toEqual(fromFile.gifts);
    expect(fromAPI.to_pay, `change ${change}`).toBe(fromFile.to_pay);

    const q = new URLSearchParams({ region: 'home', code });
    for (const l of lines) {
      q.append('sku', l.sku);
      q.set(`qty.${l.sku}`, String(l.quantity));
    }
    const rehearsed = await (await page.request.get(`${agonal}/s/lindquill/rehearsal?${q}`)).text();
    expect(toPay(rehearsed, /To pay<\/strong><\/td>\s*<td class="num"><strong>([^<]+)</), `change ${change}`).toBe(euros(fromFile.to_pay));
    const shown = await (await shop.get('/cart')).text();
    expect(toPay(shown, /data-testid="to-pay">([^<]+)</), `change ${change}: ${JSON.stringify(request)}`).toBe(euros(fromFile.to_pay));
    for (const r of (fromFile as unknown as { rewards: { nudge: string }[] }).rewards) given.add(r.nudge);
    if (fromFile.gifts.some((g) => g.items?.length)) given.add('gift');
  }
  expect([...given].sort()).toEqual(['five-colours-for-a-grey-week', 'gift', 'harbour-code', 'notebooks-by-the-stack', 'three-nibs-for-two', 'winter-ladder']);
  await shop.dispose();
  await api.dispose();
});

test('a ladder of two rungs: not yet, reached, lost again, and in the order', async ({ page, context }) => {
  test.setTimeout(180_000);
  await begin(page, 'A cheaper parcel first, a free one later');
  await expect(promise(page).getByLabel('Goal of rung 2: €75.00')).toBeVisible();
  await publish(page);
  const bottles = (quantity: number): Line[] => [{ sku: 'HARBLU-30', quantity }];
  await atBothWidths(context, async (shop) => {
    const bar = topBar(shop);
    await live(shop, '/', (s) => expect(topBar(s)).toContainText('Add €35.00', soon));
    await putIn(shop, 'harbour-blue', '30 ml');
    await expect(bar).toContainText('Add €21.00'); // 35.00 less 14.00
    const many = async (n: number) => {
      await shop.goto(`${lindquill}/cart`);
      const field = shop.getByRole('main').getByLabel(/^Quantity of Harbour Blue/);
      await field.fill(String(n));
      await field.press('Enter');
    };
    await many(3);
    await expect(bar).toContainText('€33.00 more'); // the first is reached with 42.00; 75.00 less that
    await many(6);
    await expect(bar).toContainText('It’s yours: free standard shipping.');
    await many(2);
    await expect(bar).toContainText('Add €7.00 to get'); // lost again: 35.00 less 28.00
    await order(shop, bottles(2));
    await putIn(shop, 'harbour-blue', '30 ml', 3);
    expect((await order(shop, bottles(3))).to_pay).toBe(4200 + 300);
    await putIn(shop, 'harbour-blue', '30 ml', 6);
    expect((await order(shop, bottles(6))).to_pay).toBe(8400);
  });
});

test('a sale price: planned, seen, in force, in an order, and back', async ({ page, context }) => {
  test.setTimeout(180_000);
  await signIn(page);
  countAnew();
  await page.goto(`${agonal}/s/lindquill/shop`);
  await click(page, page.getByRole('link', { name: 'Sales', exact: true }));
  await page.getByLabel('How much less').fill('10');
  const local = (ms: number) => new Date(Date.now() + ms).toLocaleString('sv-SE', { timeZone: 'Europe/Berlin' }).slice(0, 16).replace(' ', 'T');
  await page.getByLabel('From', { exact: true }).fill(local(60_000)); // the next full minute: it begins by itself
  await page.getByLabel('Until', { exact: true }).fill(local(3_600_000));
  await choose(page, 'Reduce only collections', 'Samplers');
  await page.getByLabel(/in EUR/).fill('0.90');
  await click(page, page.getByRole('button', { name: 'See what would change' }));
  const outcomes = page.getByRole('region', { name: 'What would change' });
  await expect(outcomes.getByRole('heading')).toContainText('are reduced');
  const row = outcomes.getByRole('row', { name: /Sampler, along the quay.*€/ });
  await expect(row).toContainText('−');
  const [usual, sale] = ((await row.textContent()) ?? '').match(/€[\d.]+/g)!;
  await click(page, page.getByRole('button', { name: 'Keep this sale' }));
  await expect(page.getByText(/variants are reduced from/)).toBeVisible();
  expect(clicksSoFar()).toBeLessThanOrEqual(15);

  const shop = await context.newPage();
  await shop.goto(`${lindquill}/products/sampler-quay`);
  await expect(shop.locator('#price')).toHaveText(usual);
  await live(shop, '/products/sampler-quay', (s) => expect(s.locator('#badge')).toBeVisible(soon), 90_000);
  await atBothWidths(context, async (visitor) => {
    await visitor.goto(`${lindquill}/products/sampler-quay`);
    await expect(visitor.locator('#price')).toHaveText(sale);
    await expect(visitor.locator('#was')).toContainText(usual);
    await expect(visitor.getByText(`${usual} was the lowest price of the 30 days before`)).toBeVisible();
    await visitor.goto(`${lindquill}/collections/Samplers`);
    await expect(visitor.locator('.card .sale-badge').first()).toContainText('−');
    await putIn(visitor, 'sampler-quay', '');
    await order(visitor, [{ sku: 'SET-QUAY', quantity: 1 }]);
  });

  await page.goto(`${agonal}/s/lindquill/shop/sales`);
  await page.getByRole('button', { name: /^End the sale/ }).click();
  await expect(page.getByText(/back at the usual price/)).toBeVisible();
  await expect(async () => {
    await shop.goto(`${lindquill}/products/sampler-quay`);
    await expect(shop.locator('#price')).toHaveText(usual, soon);
  }).toPass({ timeout: 20_000 });
});

test('a long visit: nothing doubles, comes back or contradicts itself', async ({ page, context }) => {
  test.setTimeout(180_000);
  await signIn(page);
  const file = shopFile();
  const shop = page;
  const main = shop.getByRole('main');
  const gift = main.getByText('a gift', { exact: true });
  await shop.goto(lindquill);

  // Ten products, each put in and the drawer closed; a reload leaves it closed.
  const visited = [
    'harbour-blue',
    'oyster-grey',
    'beacon-red',
    'tar-black',
    'kelp-green',
    'dusk-violet',
    'dunlin-a5',
    'clothbound-a5',
    'plover',
    'sampler-night',
  ];
  for (const product of visited) {
    await shop.goto(`${lindquill}/products/${product}`);
    await shop.getByRole('button', { name: 'Add to cart' }).click();
    await drawer(shop).getByRole('button', { name: 'Close' }).click();
    await expect(drawer(shop)).toBeHidden();
    await shop.reload();
    await expect(drawer(shop)).toBeHidden();
  }
  await shop.goBack();
  await shop.goForward();
  await expect(drawer(shop)).toBeHidden();

  /** What is in the cart, as its page says. */
  const lines = async () =>
    main.locator('.basket-acts form').evaluateAll((forms) =>
      forms
        .map((f) => new FormData(f as HTMLFormElement))
        .filter((f) => f.get('quantity') !== '0' && f.has('sku') && !f.has('nudge'))
        .map((f) => ({ sku: String(f.get('sku')), quantity: Number(f.get('quantity')) })),
    );
  const consistent = async () => {
    await shop.goto(`${lindquill}/cart`);
    await shop.waitForTimeout(600);
    const cart = await lines();
    const now = decided({ lines: cart }, {}, file);
    await expect(shop.getByTestId('to-pay').last()).toHaveText(euros(now.to_pay));
    expect(await gift.count()).toBe(now.gifts.filter((g) => g.items?.length).length);
    const hints = await main
      .locator('agonal-line')
      .evaluateAll((all) => all.map((e) => ({ sku: e.getAttribute('sku')!, text: e.shadowRoot?.textContent ?? '' })).filter((h) => h.text));
    for (const h of hints) {
      const add = Number(h.text.match(/^(\d+) more/)![1]);
      const then = decided({ lines: cart.map((l) => (l.sku === h.sku ? { ...l, quantity: l.quantity + add } : l)) }, {}, file);
      const more = then.to_pay - now.to_pay;
      expect(h.text).toContain(more === 0 ? 'costs you nothing' : `${euros(Math.abs(more))} ${more < 0 ? 'less' : 'more'}`);
    }
    return hints.length;
  };
  await consistent();
  let hints = 0;
  for (const [product, n] of [
    ['Dunlin A5', '2'],
    ['Dunlin A5', '5'],
    ['Clothbound A5', '2'],
    ['Plover', '0'],
    ['Plover', ''],
    ['Dunlin A5', '6'],
  ]) {
    const field = main.getByLabel(new RegExp(`^Quantity of ${product}`));
    if (n && (await field.count())) {
      await field.fill(n);
      await field.press('Enter');
    }
    hints += await consistent();
  }
  expect(hints).toBeGreaterThan(2);

  // Enough for the gift; a second tab and another country neither double nor keep it.
  await main.getByLabel(/^Quantity of Harbour Blue/).fill('9');
  await shop.keyboard.press('Enter');
  await expect(gift).toHaveCount(1);
  const second = await context.newPage();
  await second.goto(`${lindquill}/cart`);
  await expect(second.getByRole('main').getByText('a gift', { exact: true })).toHaveCount(1);
  await second.getByRole('banner').getByLabel('Deliver to').selectOption('Japan');
  await expect(second.getByRole('main').getByText('a gift', { exact: true })).toHaveCount(0);
  await shop.reload();
  await expect(gift).toHaveCount(0);
  await shop.getByRole('banner').getByLabel('Deliver to').selectOption('Germany');
  await expect(gift).toHaveCount(1);
  await main.getByRole('button', { name: /^Remove: / }).click();
  await expect(main.getByText('You took your gift out')).toBeVisible();
  for (const path of ['/', '/products/harbour-blue', '/cart']) await shop.goto(lindquill + path);
  await expect(gift).toHaveCount(0);
  await second.reload();
  await expect(second.getByRole('main').getByText('a gift', { exact: true })).toHaveCount(0);
});

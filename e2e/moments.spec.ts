// What is met on the way of a visit: what goes with a product, from its starting point to a
// placed order. What a choice is said to cost is what the order then costs.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, fillAddress, lindquill, pauseAll, putIn, signIn } from './servers';
import {
  atBothWidths,
  begin,
  begun,
  click,
  decided,
  drawer,
  euros,
  live,
  makeCodes,
  order,
  panel,
  paused,
  promise,
  publish,
  restAfterwards,
  save,
  type Line,
} from './story';

restAfterwards();

interface Embed {
  Agonal: { visit(): { shows: Record<string, number> } };
}
const idOf = (url: string) => new URL(url).pathname.split('/').at(-1)!;

test('what goes with it: ticked, put in together at the total that was told, or left', async ({ page, context }) => {
  test.setTimeout(240_000);
  await begin(page, 'What goes with it, put in together');
  const id = idOf(page.url());
  await expect(promise(page)).toContainText('looks at or has');
  await click(page, promise(page).getByLabel(/^Reward of rung 1: others of its collections go with it, each 10 % less/));
  await panel(page).getByLabel('How many are shown at once; empty: 3').fill('2');
  await expect(panel(page).getByLabel('Chosen').locator('option:not([disabled])')).toHaveCount(5);
  await save(page);
  const preview = page.frameLocator('#preview');
  await expect(page.locator('#bench-view [name=page]')).toHaveValue('product');
  await expect(preview.getByRole('heading', { name: 'Goes with it' })).toBeVisible();
  await expect(preview.getByRole('checkbox')).toHaveCount(2);
  await publish(page);

  const bottle = { sku: 'HARBLU-30', quantity: 1 };
  const at = { page: { kind: 'product', product: 'harbour-blue', variant: 'HARBLU-30' } };
  const told = () => decided({ lines: [] }, {}, undefined, at) as unknown as { offers?: { nudge: string; items: { sku: string; price: number }[] }[] };
  const mine = () => told().offers?.find((o) => o.nudge === id);
  await expect(async () => expect(mine()?.items).toHaveLength(2)).toPass();
  const [first, second] = mine()!.items;
  const taken = (sku: string) => ({ sku, quantity: 1, origin: { kind: 'offer', nudge: id } }) as Line;
  const both = decided({ lines: [bottle, taken(first.sku), taken(second.sku)] });
  const one = decided({ lines: [bottle, taken(second.sku)] });

  await atBothWidths(context, async (shop) => {
    const block = shop.locator('agonal-nudge[place=product_block]', { hasText: 'Goes well with Harbour Blue' });
    await live(shop, '/products/harbour-blue?sku=HARBLU-30', async (s) => {
      await expect(block.locator('.with').first()).toBeVisible({ timeout: 1500 });
      await expect(s.getByRole('radio', { checked: true })).toHaveValue('HARBLU-30');
    });
    await expect(block.getByRole('status').last()).toContainText(euros(both.to_pay));
    await block.getByRole('checkbox').first().uncheck();
    await expect(block.getByRole('status').last()).toContainText(euros(one.to_pay));
    // Another variant is another total.
    await shop.getByText('100 ml', { exact: false }).first().click();
    await expect(block).toContainText('Harbour Blue, 100 ml');
    await shop.getByText('30 ml', { exact: false }).first().click();
    await expect(block.getByRole('checkbox').first()).not.toBeChecked();
    await expect(block.getByRole('status').last()).toContainText(euros(one.to_pay));
    await block.getByRole('checkbox').first().check();
    await block.getByRole('button', { name: 'Put them in together' }).dblclick();
    await expect(drawer(shop)).toContainText('Harbour Blue, 30 ml');
    await expect(drawer(shop).getByRole('textbox', { name: /Quantity|How many/ })).toHaveCount(3);
    await shop.reload();
    await expect(block.locator('.with')).toHaveCount(0); // what is in the cart is not offered again
    await order(shop, [bottle, taken(first.sku), taken(second.sku)]);
  });
  await atBothWidths(context, async (shop) => {
    const block = shop.locator('agonal-nudge[place=product_block]', { hasText: 'Goes well with Harbour Blue' });
    await shop.goto(`${lindquill}/products/harbour-blue?sku=HARBLU-30`);
    for (const box of await block.getByRole('checkbox').all()) await box.uncheck();
    await block.getByRole('button', { name: 'Put them in together' }).click();
    await expect(drawer(shop)).toContainText('Harbour Blue, 30 ml');
    await order(shop, [bottle]);
  });
});

const ink = { sku: 'HARBLU-30', quantity: 2 };
const plain = () => decided({ lines: [ink] });

test('a thank-you for sharing: the cart is shown, the code works once, what came of it is counted', async ({ page, context }) => {
  test.setTimeout(240_000);
  await begin(page, 'A thank-you for sharing the cart');
  const nudge = page.url();
  await expect(promise(page)).toContainText('With a code that sharing the cart earns');
  await expect(page.getByText('The pool “sharing” has no code left')).toHaveCount(0); // the demo has some
  const preview = page.frameLocator('#preview');
  await preview.getByRole('button', { name: 'Share my cart' }).click();
  await expect(preview.getByText('Thank you for sharing')).toBeVisible();
  await publish(page);

  const less = plain().to_pay - Math.round(0.9 * 2800) - (plain().to_pay - 2800);
  await atBothWidths(context, async (shop) => {
    const block = drawer(shop).locator('agonal-nudge[place=cart_drawer]').first();
    await live(shop, '/', async (s) => {
      await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
      await putIn(s, 'harbour-blue', '30 ml', 2);
      await expect(block).toContainText(`pay ${euros(less)} less`, { timeout: 1500 });
    });
    // Not posted: nothing is given.
    const open = async () => {
      const [at] = await Promise.all([context.waitForEvent('page'), block.getByRole('button', { name: 'Share my cart' }).click()]);
      return at;
    };
    const first = await open();
    await first.getByRole('link', { name: 'Do not post' }).click();
    await first.close();
    const place = await open();
    await place.getByLabel('What you write').fill('Look at this blue.');
    await place.getByRole('button', { name: 'Post it' }).dblclick();
    const link = (await place.getByRole('blockquote').getByRole('link').getAttribute('href'))!;
    await expect(drawer(shop)).toContainText('Thank you for sharing');
    await place.close();
    const code = await drawer(shop).getByLabel('Code', { exact: true }).inputValue();
    await shop.reload();
    // Somebody opens the link, and orders.
    const friend = await (await context.browser()!.newContext({ locale: 'en-GB' })).newPage();
    await friend.goto(link);
    await expect(friend.getByText('Somebody shared this cart with you.')).toBeVisible();
    await expect(friend.getByRole('main')).toContainText('Harbour Blue, 30 ml');
    await order(friend, [ink]);
    await friend.context().close();

    const to = plain().to_pay - less;
    await shop.goto(`${lindquill}/checkout`);
    await expect(shop.getByTestId('to-pay').last()).toHaveText(euros(to));
    await fillAddress(shop);
    await shop.getByRole('button', { name: `Pay ${euros(to)}` }).click();
    await expect(shop.getByText('We charged')).toContainText(euros(to));
    // The code is used up.
    await putIn(shop, 'harbour-blue', '30 ml', 2);
    await drawer(shop).getByLabel('Code', { exact: true }).fill(code);
    await drawer(shop).getByRole('button', { name: 'Apply' }).click();
    await expect(drawer(shop)).toContainText(`${code} `);
    await expect(drawer(shop)).toContainText(euros(plain().to_pay));
  });
  await page.goto(nudge);
  await expect(page.getByLabel('So far: 2 carts shared; by the links 2 visits and 2 orders; 2 codes given')).toBeVisible();
});

test('a word before leaving: asked once, the code is taken or left', async ({ page, context }) => {
  test.setTimeout(240_000);
  await begin(page, 'A word to who is about to leave');
  const nudge = page.url();
  await expect(page.getByText('The pool “staying” has no code left, so nobody is asked; make some.')).toBeVisible();
  await publish(page);
  const leave = (shop: Page) => shop.evaluate(() => document.dispatchEvent(new MouseEvent('mouseout', { bubbles: true, clientY: -1, relatedTarget: null })));
  const dialog = (shop: Page) => shop.getByRole('dialog').filter({ hasText: 'Before you go' });
  await makeCodes(page, 'staying', '2');

  const less = 280;
  for (const answer of ['left', 'taken', 'gone'])
    await atBothWidths(context, async (shop) => {
      const ask = async () => {
        await putIn(shop, 'harbour-blue', '30 ml', 2);
        await shop.goto(`${lindquill}/products/beacon-red`);
        await shop.waitForTimeout(400);
        await leave(shop);
      };
      if (answer === 'gone') {
        // Every code is given: nobody is asked any more.
        await expect(async () => {
          await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
          await ask();
          await shop.waitForTimeout(700);
          await expect(dialog(shop)).toHaveCount(0);
        }).toPass();
        return;
      }
      await expect(async () => {
        await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
        await ask();
        await expect(dialog(shop)).toBeVisible({ timeout: 2000 });
      }).toPass({ timeout: 60_000 });
      await expect(dialog(shop)).toContainText(`you pay ${euros(less)} less`);
      if (answer === 'taken') {
        await dialog(shop).getByRole('button', { name: 'Stay and take it' }).dblclick();
        await expect(drawer(shop)).toContainText(euros(plain().to_pay - less));
      } else await dialog(shop).getByRole('button', { name: 'Close' }).click();
      await expect(dialog(shop)).toHaveCount(0);
      await shop.reload();
      await shop.waitForTimeout(400);
      await leave(shop);
      await shop.waitForTimeout(700);
      await expect(dialog(shop)).toHaveCount(0); // once a visit
      const to = plain().to_pay - (answer === 'taken' ? less : 0);
      await shop.goto(`${lindquill}/checkout`);
      await fillAddress(shop);
      await shop.getByRole('button', { name: `Pay ${euros(to)}` }).click();
      await expect(shop.getByText('We charged')).toContainText(euros(to));
    });
  await page.goto(nudge);
  await expect(page.getByLabel('So far: 2 codes given')).toBeVisible();
});

test('going back is leaving, too: the first press asks, the second leaves', async ({ page, context }) => {
  await makeCodes(page, 'staying', '1');
  await begin(page, 'A word to who is about to leave');
  await publish(page);
  const shop = await context.newPage();
  await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
  await putIn(shop, 'harbour-blue', '30 ml', 2);
  await shop.goto(`${lindquill}/collections/Inks`);
  await shop.goto(`${lindquill}/products/beacon-red`);
  const dialog = shop.getByRole('dialog').filter({ hasText: 'Before you go' });
  await expect(async () => {
    await shop.reload();
    await shop.waitForTimeout(500);
    await shop.getByRole('heading', { level: 1 }).click();
    await shop.goBack();
    await expect(dialog).toBeVisible({ timeout: 2000 });
  }).toPass();
  expect(new URL(shop.url()).pathname).toBe('/products/beacon-red');
  await dialog.getByRole('button', { name: 'Close' }).click();
  await shop.goBack();
  await expect(shop).toHaveURL(/collections\/Inks/);
});

test('words that take turns page by page, one of which puts goods in; a block before and after a goal', async ({ page, context, playwright }) => {
  test.setTimeout(240_000);
  await begin(page, 'A word about what is in the cart');
  const id = idOf(page.url());
  await click(page, page.getByLabel(/^Reward of rung 1/));
  await panel(page).getByLabel('Where it leads').fill('');
  await choose(page, /^Or these are put in by a press/, 'blotting paper', /Blotting paper.*A5/);
  await save(page);
  await expect(page.getByLabel(/^Reward of rung 1: something is said, and Blotting paper, A5 can be put in by a click/)).toBeVisible();
  await click(page, page.getByLabel('How often: shows as often as it fits'));
  await panel(page).getByLabel('Takes turns, page by page, with others that do').check();
  await save(page);
  const preview = page.frameLocator('#preview');
  await click(page, preview.getByRole('button', { name: 'Add it' }));
  await expect(page.getByRole('region', { name: 'The cart beside it' })).toContainText('Blotting paper');
  await publish(page);
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer sk_lindquill_demo' } });
  const other = await api.put('/v1/nudges/words-in-turn', {
    data: {
      version: 1,
      name: 'Words in turn',
      ladder: { basis: 'before_nudges', measure: 'units', rungs: [{ count: 1, rewards: [{ kind: 'notice', link: '/collections/Paper' }] }] },
      audience: {},
      placements: ['cart_drawer', 'cart_page'],
      takes_turns: true,
      wording: { en: { reached: 'Parcels leave the quay at four.' } },
    },
  });
  expect(other.status(), await other.text()).toBeLessThan(300);
  begun.push('Words in turn');

  const ink = { sku: 'HARBLU-30', quantity: 1 };
  const blotting = 'BLOPAP-A5';
  await atBothWidths(context, async (shop) => {
    await live(shop, '/', async (s) => {
      await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
      await putIn(s, 'harbour-blue', '30 ml');
      await s.goto(`${lindquill}/cart`);
      await expect(s.locator('agonal-nudge[place=cart_page]').first()).toContainText(/goes well with|at four/, { timeout: 1500 });
    });
    // Each page shows the one that was shown least.
    const shows = (s: Page) => s.evaluate(() => Object.values((window as unknown as Embed).Agonal.visit().shows).reduce((a, b) => a + b, 0));
    const before = await shows(shop);
    const said: string[] = [];
    for (let i = 0; i < 4; i++) {
      const block = shop.locator('agonal-nudge[place=cart_page]').first();
      await expect(block).toContainText(/goes well with|at four/);
      said.push((await block.locator('p').first().textContent())!.includes('at four') ? 'quay' : 'paper');
      await expect.poll(() => shows(shop)).toBe(before + i + 1); // it is seen, and counts
      await shop.reload();
    }
    expect(said.join()).toMatch(/^(paper,quay,paper,quay|quay,paper,quay,paper)$/);
    const block = shop.locator('agonal-nudge[place=cart_page]', { hasText: 'goes well with' }).first();
    await expect(async () => {
      await shop.reload();
      await expect(block).toBeVisible({ timeout: 1200 });
      await shop.waitForTimeout(1200);
    }).toPass();
    await block.getByRole('button', { name: 'Add it' }).dblclick();
    await expect(shop.getByRole('main')).toContainText('Blotting paper');
    await shop.reload();
    await expect(shop.locator('agonal-nudge[place=cart_page]').first()).toContainText('at four'); // the other has nothing to put in
    await order(shop, [ink, { sku: blotting, quantity: 1 }]);
  });

  await begin(page, 'A block of your own, before and after a goal');
  await publish(page);
  await atBothWidths(context, async (shop) => {
    const block = shop.locator('agonal-nudge[place=product_block]').first();
    await live(shop, '/products/harbour-blue', async () => {
      await expect(block.getByRole('heading', { name: 'From the workshop' })).toBeVisible({ timeout: 1500 });
    });
    await expect(block).toContainText('made by four people at the harbour');
    await putIn(shop, 'harbour-blue', '30 ml', 5); // 70.00
    await shop.goto(`${lindquill}/products/harbour-blue`);
    await expect(block).toContainText('Here is how what you chose is made');
    await block.getByRole('link', { name: 'Have a look' }).click();
    await expect(shop).toHaveURL(`${lindquill}/`);
    await order(shop, [{ sku: 'HARBLU-30', quantity: 5 }]);
  });
});

test('who comes back is known by the account: the nudge, the order, and the list of orders', async ({ page, context }) => {
  await signIn(page);
  await pauseAll(page).then((names) => paused.push(...names));
  await page.goto(`${agonal}/s/lindquill/nudges/welcome-back`);
  await page.getByRole('button', { name: /^Publish revision|^Resume/ }).click();
  await expect(page.getByText(/is published|is live now/).first()).toBeVisible();
  begun.push('Welcome back');
  const full = decided({ lines: [{ sku: 'HARBLU-30', quantity: 3 }] }).to_pay; // 42.00 and 5.90
  await atBothWidths(context, async (shop) => {
    const be = async (name: string) => {
      await shop.goto(`${lindquill}/account`);
      await shop.getByRole('button', { name }).click();
      await expect(shop.getByRole('link', { name, exact: true })).toBeVisible();
    };
    await be('Arne Kolk');
    await putIn(shop, 'harbour-blue', '30 ml', 3);
    await expect(drawer(shop)).toContainText(euros(full));
    await shop.goto(`${lindquill}/account`);
    await shop.getByRole('button', { name: 'Sign out' }).click();
    await expect(shop.getByText('You are signed out.')).toBeVisible();
    const back = shop.viewportSize()!.width > 600 ? 'Ilsabe Tern' : 'Jorid Vale';
    await be(back);
    await expect(async () => {
      await shop.goto(`${lindquill}/cart`);
      await expect(shop.getByRole('main').getByTestId('to-pay').last()).toHaveText(euros(full - 500), { timeout: 2000 });
    }).toPass();
    await shop.waitForTimeout(600); // what the embed asks itself says the same
    await expect(shop.getByRole('main').getByTestId('to-pay').last()).toHaveText(euros(full - 500));
    await shop.goto(`${lindquill}/checkout`);
    await expect(shop.getByRole('main').getByLabel('Name')).toHaveValue(back);
    await shop.getByRole('button', { name: `Pay ${euros(full - 500)}` }).click();
    await expect(shop.getByText('We charged')).toContainText(euros(full - 500));
    await shop.goto(`${lindquill}/account`);
    await expect(shop.getByRole('row').nth(1)).toContainText(euros(full - 500));
    await expect(shop.getByRole('row').nth(1)).toContainText('Harbour Blue, 30 ml');
    await shop.getByRole('row').nth(1).getByRole('link').click();
    await expect(shop.getByRole('heading', { name: `Thank you, ${back}` })).toBeVisible();
    // Two months have not passed: the next cart costs what it costs.
    await putIn(shop, 'harbour-blue', '30 ml', 3);
    await expect(drawer(shop)).toContainText(euros(full));
    await context.clearCookies({ name: 'lq_who' });
    await shop.goto(`${lindquill}/account`);
  });
});

test('what is meant for phones, or for a campaign, is met there and nowhere else, up to the order', async ({ browser, playwright }) => {
  test.setTimeout(240_000);
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer sk_lindquill_demo' } });
  const rungs = [{ thresholds: { home: '1.00 EUR' }, rewards: [{ kind: 'order_percent', percent: '10' }] }];
  const made = await api.put('/v1/nudges/on-the-way', {
    data: {
      version: 1,
      name: 'On the way',
      placements: ['top_bar'],
      ladder: { basis: 'before_nudges', rungs },
      audience: { regions: ['home'], when: { all: [{ devices: ['phone'] }, { campaign: { utm_source: ['letter'] } }] } },
      wording: { en: { not_yet: 'A letter brought you.', reached: 'A tenth off, on the way.' } },
    },
  });
  expect(made.ok(), await made.text()).toBe(true);
  begun.push('On the way');
  for (const [hasTouch, path, meets] of [
    [true, '/?utm_source=letter&utm_medium=post', true],
    [true, '/?utm_source=card', false],
    [false, '/?utm_source=letter', false],
  ] as const) {
    const context = await browser.newContext({ hasTouch, isMobile: hasTouch, viewport: hasTouch ? { width: 390, height: 844 } : { width: 1280, height: 800 } });
    const page = await context.newPage();
    await page.goto(lindquill + path);
    await putIn(page, 'harbour-blue', '30 ml');
    await page.goto(`${lindquill}/cart`);
    const off = page.getByRole('main').getByText('€1.40').first(); // a tenth of €14.00
    if (meets) await expect(off).toBeVisible();
    else await expect(off).toHaveCount(0);
    await page.goto(`${lindquill}/checkout`);
    await fillAddress(page);
    await page.getByRole('button', { name: /^Pay / }).click();
    await expect(page.getByRole('heading', { name: /Thank you/ })).toBeVisible();
    await context.close();
  }
  await api.dispose();
});

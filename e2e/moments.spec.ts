// What is met on the way of a visit: what goes with a product, from its starting point to a
// placed order. What a choice is said to cost is what the order then costs.
import { expect, test } from '@playwright/test';
import { lindquill } from './servers';
import { atBothWidths, begin, click, decided, drawer, euros, live, order, panel, promise, publish, restAfterwards, save, type Line } from './story';

restAfterwards();

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

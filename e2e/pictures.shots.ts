// Takes the pictures in docs/screenshots from the demo: make screenshots.
import { test, type Page } from '@playwright/test';
import { agonal, lindquill, past, putIn, seesAll, signIn } from './servers';

const folder = `${import.meta.dirname}/../docs/screenshots`;

function shots(name: string, options: Parameters<typeof test.use>[0], take: (page: Page, shot: (file: string) => Promise<void>) => Promise<void>) {
  test.describe(name, () => {
    test.use(options);
    test(name, ({ page }) =>
      take(page, async (file) => {
        await page.waitForTimeout(500);
        await page.screenshot({ path: `${folder}/${file}.png` });
      }),
    );
  });
}

const phone = { viewport: { width: 390, height: 844 }, hasTouch: true };
const merchant = (path: string) => `${agonal}/s/lindquill/${path}`;

shots('merchant', {}, async (page, shot) => {
  await signIn(page);
  await shot('nudges');
  await page.goto(merchant('nudges/start'));
  await shot('start');
  await page.goto(merchant('nudges/winter-ladder'));
  await page.getByRole('slider', { name: 'Value of the cart' }).focus();
  for (const key of ['PageUp', 'ArrowRight', 'ArrowRight', 'PageUp']) await page.keyboard.press(key);
  await shot('workbench');
  await page.goto(merchant('rehearsal?sku=HARBLU-30&qty.HARBLU-30=3&code=HARBOUR10&draft=parcels-to-japan'));
  await page.getByText('Why', { exact: true }).first().click();
  await shot('rehearsal');
  await page.goto(merchant('shop/orders'));
  await page.getByRole('main').getByRole('link', { name: /^\d+$/ }).first().click();
  await page.getByRole('textbox').first().fill('1');
  await page.getByRole('button', { name: 'Work out what goes back' }).click();
  await shot('orders');
  await page.goto(merchant('shop/regions/eu'));
  await shot('region');
  await page.goto(merchant('shop/look'));
  await page.getByLabel('Copper').check();
  await page.frameLocator('#look-frame').getByRole('heading', { name: 'Goes with it' }).waitFor();
  await shot('look');
  await page.goto(merchant('nudges/notebooks-by-the-stack'));
  const pieces = page.getByRole('slider', { name: /^Pieces of/ });
  await pieces.focus();
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
  await shot('workbench-pieces');
  await page.goto(merchant('nudges/a-bottle-instead'));
  await page.frameLocator('#preview').getByRole('dialog').waitFor();
  await shot('workbench-offer');
  await past(page);
  await page.goto(merchant('results'));
  await shot('results');
  await page.getByRole('region', { name: 'Trials' }).getByRole('link').first().click();
  await shot('trial');
  await page.goto(merchant('shop/sales?percent=15&from=2030-12-02T09:00&until=2030-12-09T20:00&scope.include.collections=Fountain pens&ending.EUR=0.90'));
  await shot('sales');
});
shots('a new merchant', {}, async (page, shot) => {
  await page.goto(`${agonal}/account/new`);
  await page.getByLabel('Your name').fill('Jo Kade');
  await page.getByLabel('E-mail').fill('jo@kade.example');
  await page.getByLabel(/^\s*Password/).fill('a-long-password');
  await page.getByRole('button', { name: 'Create account' }).click();
  await page.getByText('You have no shop yet.').waitFor();
  await page.getByLabel('Name').fill('Kade pots');
  await page.getByRole('button', { name: 'Make the shop' }).click();
  await page.getByRole('heading', { name: 'First steps' }).waitFor();
  await shot('first-steps');
});
shots('merchant, dark and on a phone', { ...phone, colorScheme: 'dark' }, async (page, shot) => {
  await signIn(page);
  await page.goto(merchant('nudges/winter-ladder'));
  await shot('workbench-phone-dark');
});
shots('merchant, dark', { colorScheme: 'dark' }, async (page, shot) => {
  await signIn(page);
  await page.goto(merchant('nudges/a-letter-a-week'));
  await page.locator('#axis-draw .place.open').first().waitFor();
  await shot('workbench-dark');
});
shots('shop', {}, async (page, shot) => {
  await seesAll(page);
  await page.goto(lindquill);
  await shot('shop-home');
  await page.goto(`${lindquill}/sets/a-letter-a-week`);
  for (const name of ['Harbour Blue', 'Kelp Green', 'Beacon Red']) await page.getByRole('button', { name: `choose: ${name}, 4 ml` }).click();
  await page.getByText('€8.00 for all of it').waitFor();
  await page.getByRole('button', { name: 'Add the set to the cart' }).click();
  await page.getByRole('dialog', { name: 'Cart' }).waitFor();
  await putIn(page, 'dunlin-a5', 'dotted', 5);
  await shot('shop-cart');
  await page.goto(`${lindquill}/checkout`);
  await shot('shop-checkout');
});
shots('shop, on a phone', phone, async (page, shot) => {
  await seesAll(page);
  await putIn(page, 'dunlin-a5', 'dotted', 5);
  await page.goto(`${lindquill}/products/dunlin-a5`);
  await page.getByRole('row', { name: /12 and more/ }).scrollIntoViewIfNeeded();
  await shot('shop-phone');
});

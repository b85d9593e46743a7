import { spawn, type ChildProcess } from 'node:child_process';
import { createServer, request, type Server } from 'node:http';
import { expect, test, type Page } from '@playwright/test';
import { agonal, fillAddress, signIn } from './servers';

type Mode = 'works' | 'refuses' | 'hangs' | 'answers 500' | 'breaks off';
const between = 18082;
const shop = 'http://127.0.0.1:18083';

let mode: Mode = 'works';
let proxy: Server;
let lindquill: ChildProcess;

// Stands between the shop and Agonal, for the shop's server and for browsers.
function listen() {
  proxy = createServer((req, res) => {
    if (mode === 'hangs') return void setTimeout(() => res.destroy(), 10_000);
    if (mode === 'refuses') return void req.socket.destroy();
    if (mode === 'answers 500') return void res.writeHead(500, { 'Access-Control-Allow-Origin': '*' }).end('{"title":"broken"}');
    const on = request(agonal + req.url, { method: req.method, headers: { ...req.headers, host: new URL(agonal).host } }, (r) => {
      res.writeHead(r.statusCode ?? 502, r.headers);
      if (mode !== 'breaks off') return void r.pipe(res);
      r.once('data', (d: Buffer) => {
        res.write(d.subarray(0, Math.floor(d.length / 2)));
        setTimeout(() => res.destroy(), 20);
      });
    });
    on.on('error', () => res.destroy());
    req.pipe(on);
  }).listen(between, '127.0.0.1');
}

test.beforeAll(async () => {
  listen();
  lindquill = spawn('../bin/agonal', ['serve', '--only', 'lindquill'], {
    cwd: import.meta.dirname,
    env: {
      ...process.env,
      LINDQUILL_ADDR: new URL(shop).host,
      LINDQUILL_AGONAL: `http://127.0.0.1:${between}`,
      AGONAL_STATE: `${process.env.AGONAL_STATE ?? '/tmp'}/failing-shop-${Date.now()}`,
    },
    stdio: 'ignore',
  });
  await expect(async () => expect((await fetch(shop)).status).toBe(200)).toPass({ timeout: 20_000 });
});

test.afterAll(() => {
  lindquill?.kill('SIGTERM');
  proxy?.closeAllConnections();
  proxy?.close();
});

test.beforeEach(async ({ page }) => {
  mode = 'works';
  await page.waitForTimeout(4200); // the shop asks again a little after a failure
});

async function add(page: Page, product: string, option: string) {
  await page.goto(`${shop}/products/${product}`);
  await page.getByText(option, { exact: false }).first().click();
  await page.getByRole('button', { name: 'Add to cart' }).click();
  await expect(page.getByRole('dialog', { name: 'Cart' })).toBeVisible();
}

async function payFor(page: Page) {
  await page.getByLabel('Name').fill('Enno Reiher');
  await page.getByLabel('Street and number').fill('Mole 2');
  await page.getByRole('main').getByLabel('Postcode').fill('26723');
  await page.getByLabel('Town').fill('Vessmark');
  const button = page.getByRole('button', { name: /^Pay / });
  const shown = (await button.textContent())!.replace('Pay ', '').trim();
  await button.click();
  await expect(page.getByRole('heading', { name: /Thank you/ })).toBeVisible({ timeout: 20_000 });
  await expect(page.getByText('We charged')).toContainText(`We charged ${shown}.`);
  return shown;
}

for (const failing of ['refuses', 'hangs', 'answers 500', 'breaks off'] as Mode[]) {
  test(`when Agonal ${failing}, the shop sells at its list prices`, async ({ page }) => {
    mode = failing;
    const began = Date.now();
    await page.goto(`${shop}/products/harbour-blue`, { waitUntil: 'commit' });
    await expect(page.getByRole('heading', { name: 'Harbour Blue' })).toBeVisible();
    expect(Date.now() - began).toBeLessThan(8000);
    for (const e of await page.locator('agonal-nudge').all()) expect((await e.boundingBox())?.height ?? 0, 'no empty space').toBe(0);
    await page.getByText('30 ml', { exact: false }).first().click();
    await page.getByRole('button', { name: 'Add to cart' }).click();
    await page.goto(`${shop}/checkout`, { waitUntil: 'commit' });
    await expect(page.getByText('these are our list prices')).toHaveCount(2, { timeout: 15_000 });
    expect(await payFor(page)).toBe('€19.90'); // 14.00 and standard shipping of 5.90
  });
}

test('a total shown before Agonal went away is honoured, and the order arrives later', async ({ page, context }) => {
  await add(page, 'kittiwake', 'fine');
  await add(page, 'oyster-converter', 'the one there is');
  await page.goto(`${shop}/checkout`);
  await expect(page.getByRole('button', { name: 'Pay €63.80' })).toBeVisible(); // 58.00 + 5.80, shipping is free from 60.00
  mode = 'refuses';
  expect(await payFor(page)).toBe('€63.80');
  await expect(page.getByText('will get its number shortly')).toBeVisible();
  mode = 'works';
  const merchant = await context.newPage();
  await signIn(merchant);
  await expect(async () => {
    await merchant.goto(`${agonal}/s/lindquill/shop/orders`);
    await expect(merchant.getByRole('row', { name: /Enno Reiher.*€63\.80.*as charged by the shop/ })).toBeVisible({ timeout: 500 });
  }).toPass({ timeout: 20_000 });
});

test('a payment that is declined or does not answer charges nothing and loses nothing', async ({ page }) => {
  await add(page, 'kittiwake', 'fine');
  await page.goto(`${shop}/checkout`);
  await page.getByLabel('Name').fill('Ada Fehn');
  await page.getByLabel('Street and number').fill('Kai 3');
  await page.getByRole('main').getByLabel('Postcode').fill('26723');
  await page.getByLabel('Town').fill('Vessmark');
  await page.getByLabel('A card that is declined').check();
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByRole('alert')).toContainText('declined. Nothing was charged');
  await expect(page.getByLabel('Name')).toHaveValue('Ada Fehn');
  await page.getByLabel('A payment that does not answer').check();
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByRole('alert')).toContainText('did not answer', { timeout: 15_000 });
  await page.getByLabel('A card that is approved').check();
  await page.getByRole('button', { name: /^Pay / }).click();
  await expect(page.getByRole('heading', { name: /Thank you, Ada Fehn/ })).toBeVisible();
});

test('a total that changed since it was shown is not charged; the shop says what changed', async ({ page, context }) => {
  await add(page, 'kittiwake', 'fine');
  await add(page, 'oyster-converter', 'the one there is');
  await page.goto(`${shop}/checkout`);
  await expect(page.getByRole('button', { name: 'Pay €63.80' })).toBeVisible();
  const merchant = await context.newPage();
  await signIn(merchant);
  await merchant.getByRole('button', { name: 'Pause Winter ladder' }).click();
  await expect(merchant.getByRole('button', { name: 'Resume Winter ladder' })).toBeVisible();
  await fillAddress(page, 'Jonas Reet');
  await page.getByRole('button', { name: 'Pay €63.80' }).click();
  await expect(page.getByRole('alert')).toContainText('it was €63.80 and is €69.70 now. Nothing was charged');
  await page.getByRole('button', { name: 'Pay €69.70' }).click();
  await expect(page.getByText('We charged')).toContainText('€69.70');
  await merchant.getByRole('button', { name: 'Resume Winter ladder' }).click();
  await expect(merchant.getByRole('button', { name: 'Pause Winter ladder' })).toBeVisible();
});

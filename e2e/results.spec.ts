// What a merchant reads from the results: which nudge loses money and why, down to an order.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, test, type Page } from '@playwright/test';
import { clean, fits } from './clean';
import { agonal, past, signIn, tabTo } from './servers';

const results = `${agonal}/s/lindquill/results`;

const row = (page: Page, name: string) => page.getByRole('row').filter({ has: page.getByRole('link', { name, exact: true }) });

test('which nudge loses money, and why, down to an order', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  const autumn = row(page, 'A fifth for autumn');
  await expect(autumn).toContainText('costs more than it brings');
  await expect(row(page, 'Harbour code')).toContainText('a code is kept from nobody');
  await autumn.getByRole('link').click();
  await expect(page.getByRole('heading', { level: 1, name: 'A fifth for autumn' })).toBeVisible();
  await expect(page.getByText('From €20.00, the order is 20 % less.')).toBeVisible();
  // Nearly all who reach it would have ordered as well: an order of theirs brings less.
  const arms = page.getByRole('table', { name: /kept from it/ });
  const margin = async (name: string) =>
    Number(
      (await arms
        .getByRole('row', { name: new RegExp(`^${name}`) })
        .getByRole('cell')
        .last()
        .textContent())!.replace(/[^\d.]/g, ''),
    );
  expect(await margin('could see it')).toBeLessThan(await margin('were kept from it'));
  // An order behind it, with the trace of its price.
  const orders = page.getByRole('region', { name: 'Orders' });
  const given = await orders.getByRole('row').nth(1).getByRole('cell').nth(3).textContent();
  await orders.getByRole('row').nth(1).getByRole('link').click();
  await expect(page.getByRole('heading', { level: 1, name: /^Order \d+/ })).toBeVisible();
  await expect(page.getByRole('main')).toContainText(given!.replace('−', ''));
  await page.goBack();
  await page.getByRole('link', { name: 'All results' }).click();
  await expect(row(page, 'A fifth for autumn')).toBeVisible();
  await page.goBack();
  await page.getByRole('link', { name: 'Open the nudge' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'A fifth for autumn' })).toBeVisible();
});

test('another period, another place, and the same table to take along', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  const orders = async () =>
    Number(
      (await page
        .getByRole('list', { name: /The whole shop/ })
        .getByRole('listitem')
        .first()
        .locator('strong')
        .textContent())!.replace(/\D/g, ''),
    );
  const all = await orders();
  await page.getByLabel('Where').selectOption('Home, in EUR');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect.poll(orders).toBeLessThan(all);
  const home = await orders();
  await page.getByLabel('Device').selectOption('phone');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect.poll(orders).toBeLessThan(home);
  await page.getByLabel('Device').selectOption('every device');
  await page.getByLabel('Language').selectOption('German');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByLabel('Where')).toHaveValue('region:home');
  await expect.poll(orders).toBeGreaterThan(home * 0.8); // Germany reads German here, but for a few
  await page.getByLabel('Where').selectOption('every region that pays in JPY');
  await page.getByLabel('Language').selectOption('every language');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect.poll(orders).toBeLessThan(5);
  // A period that cannot be is said, and what was typed stays.
  await page.getByLabel('Where').selectOption('every region that pays in EUR');
  await page.getByLabel('First day').fill('2026-11-20');
  await page.getByLabel('Last day').fill('2026-11-10');
  await page.getByRole('button', { name: 'Show' }).click();
  await expect(page.getByText('The period ends before it begins; choose a later last day.')).toBeVisible();
  await expect(page.getByLabel('First day')).toHaveValue('2026-11-20');
  await page.goto(results);
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Export' }).click()]);
  expect(file.suggestedFilename()).toBe('lindquill-results.csv');
  const lines = readFileSync(await file.path(), 'utf8')
    .trim()
    .split('\r\n');
  const autumn = lines.find((l) => l.includes('A fifth for autumn'))!.split(',');
  const said = await row(page, 'A fifth for autumn').textContent();
  expect(said!.replaceAll(',', '')).toContain(`€${autumn[11]} given`);
});

test('with the keyboard, on a phone', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto(results);
  await tabTo(page, /^A fifth for autumn$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1, name: 'A fifth for autumn' })).toBeVisible();
  for (const path of ['', '/a-fifth-for-autumn', '/harbour-code'])
    for (const [width, colorScheme] of [
      [390, 'dark'],
      [1280, 'light'],
    ] as const) {
      await page.setViewportSize({ width, height: 844 });
      await page.emulateMedia({ colorScheme });
      await page.goto(results + path);
      await clean(page, `results${path}, ${width}`);
      await fits(page, `results${path}, ${width}`);
    }
});

/** Made-up shoppers come by the shop's API; they order far more often where the parcel is free. */
function shoppers(visits: number) {
  const program = fileURLToPath(new URL('../bin/agonal', import.meta.url));
  execFileSync(program, ['simulate', '--url', agonal, '--visits', String(visits), '--seed', '5', '--lift', '4', '--carts', '0.8', '--conversion', '0.15']);
}

test('a trial: planned, begun, sure of itself, and its winner published', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  const nudge = `${agonal}/s/lindquill/nudges/winter-ladder`;
  // Nothing to try before something is changed.
  await page.goto(`${nudge}/try`);
  await expect(page.getByText('There is nothing to try yet.')).toBeVisible();
  await page.goto(nudge);
  const promise = page.getByRole('region', { name: 'The promise' });
  await promise.getByText('€60.00').first().click();
  const panel = page.locator('details.part[open] > .panel');
  await panel.getByLabel('Home').fill('5.00');
  await panel.getByRole('textbox', { name: /^EU\b/ }).fill('5.00');
  await panel.getByRole('button', { name: 'Save' }).click();
  await expect(promise).toContainText('€5.00');
  await page.getByRole('link', { name: 'Try it first' }).click();
  await expect(page.getByText('From €5.00, standard shipping is free')).toBeVisible();
  await expect(page.getByText(/visits a day could see it/)).toBeVisible();
  // A difference that is too small to be found says so; what cannot be is said.
  await page.getByLabel(/A difference worth finding/).fill('1');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/it would take longer than 120 days/)).toBeVisible();
  await page.getByLabel(/Share of visitors/).fill('99');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText('Write a share from 5 to 95.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Start the trial' })).toHaveCount(0);
  await page.getByLabel(/Share of visitors/).fill('50');
  await page.getByLabel(/A difference worth finding/).fill('60');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText(/That is found in four of five trials within \d+ days?/)).toBeVisible();
  await page.getByRole('button', { name: 'Start the trial' }).dblclick();
  await expect(page.getByText(/Trial, running since/)).toBeVisible();
  const trial = page.url();
  await expect(page.getByText(/Too few orders to say anything: 0 and 0/)).toBeVisible();
  // It is begun once, and the board's nudge is what it was.
  await page.goto(`${agonal}/s/lindquill/results`);
  await expect(page.getByRole('region', { name: 'Trials' }).getByRole('row')).toHaveCount(3); // with the head, and one of the demo's past
  shoppers(700);
  await expect(async () => {
    await page.goto(trial);
    await expect(page.getByText(/Trial, ended/)).toBeVisible({ timeout: 1000 });
  }).toPass({ timeout: 60_000, intervals: [2000] });
  await expect(page.getByText(/B brings €[\d.,]+ more margin per hundred visits, between/)).toBeVisible();
  await expect(page.getByText('It stopped by itself, as it was sure.')).toBeVisible();
  await expect(page.getByText(/Visits fell \d+\.\d to \d+\.\d: as they should/)).toBeVisible();
  await clean(page, 'a trial');
  await page.setViewportSize({ width: 390, height: 844 });
  await fits(page, 'a trial');
  await page.setViewportSize({ width: 1280, height: 800 });
  // A viewer may look, and no more.
  await page.goto(`${agonal}/account`);
  await page.getByRole('button', { name: 'sign out' }).first().click();
  await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
  await signIn(page, 'vera@lindquill.example');
  await page.goto(trial);
  await expect(page.getByText(/Trial, ended/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Publish B' })).toHaveCount(0);
  await page.getByRole('button', { name: 'sign out' }).click();
  await expect(page.getByRole('button', { name: 'Sign in' })).toBeVisible();
  await signIn(page);
  await page.goto(trial);
  await page.getByRole('button', { name: 'Publish B' }).dblclick();
  await expect(page.getByText('B is published. Everybody has it from now on.')).toBeVisible();
  await expect(page.getByText(/Ilse Marrin published B/)).toBeVisible();
  await page.goto(nudge);
  await expect(promise).toContainText('€5.00');
  await expect(page.getByRole('button', { name: 'Pause', exact: true })).toBeVisible(); // nothing is left to publish
});

test('a trial is stopped by hand, and everybody has what was there before', async ({ page, playwright }) => {
  test.setTimeout(240_000);
  await past(page);
  const nudge = `${agonal}/s/lindquill/nudges/a-sampler-with-a-full-basket`;
  await page.goto(nudge);
  const promise = page.getByRole('region', { name: 'The promise' });
  await promise.getByText('€130.00').first().click();
  const panel = page.locator('details.part[open] > .panel');
  await panel.getByLabel('Home').fill('20.00');
  await panel.getByRole('button', { name: 'Save' }).click();
  await expect(promise).toContainText('€20.00');
  await page.getByRole('link', { name: 'Try it first' }).click();
  await page.getByRole('button', { name: 'Start the trial' }).click();
  await expect(page.getByText(/Trial, running since/)).toBeVisible();
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer pk_lindquill_demo' } });
  const thresholds = async () => {
    const found = new Set<number>();
    for (let i = 0; i < 40; i++) {
      const r = await api.post('/v1/decisions', {
        data: {
          cart: { lines: [{ sku: 'KELGRE-30', quantity: 1 }], destination: { country: 'DE' } },
          visit: { id: `v${i}`, visitor: `trial-visitor-${i}` },
          moment: { locale: 'en' },
        },
      });
      const d = (await r.json()) as { nudges: { nudge: string; rungs: { threshold: number }[] }[] };
      for (const n of d.nudges) if (n.nudge === 'a-sampler-with-a-full-basket' && n.rungs.length) found.add(n.rungs[0].threshold);
    }
    return [...found].sort((a, b) => a - b);
  };
  expect(await thresholds()).toEqual([2000, 13000]);
  await page.getByRole('button', { name: 'Stop the trial' }).dblclick();
  await expect(page.getByText('The trial is stopped. Everybody has A again.')).toBeVisible();
  await expect.poll(thresholds).toEqual([13000]);
  await page.goto(nudge);
  await expect(page.getByRole('link', { name: 'Try it first' })).toBeVisible(); // the draft is kept
});

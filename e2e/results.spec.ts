// What a merchant reads from the results: which nudge loses money and why, down to an order.
import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { agonal, signIn, tabTo } from './servers';

const results = `${agonal}/s/lindquill/results`;

/** Waits until the demo's past is made: its last days have orders. */
async function past(page: Page) {
  test.setTimeout(240_000);
  await signIn(page);
  await expect(async () => {
    await page.goto(results);
    await page.getByText('The days as a table').click();
    const rows = page.getByRole('row').filter({ has: page.getByRole('rowheader', { name: /^\w{3} \d+ \w{3} \d{4}$/ }) });
    await expect(rows).toHaveCount(56);
    const days = await rows.evaluateAll((all) => all.map((r) => Number(r.querySelector('td')!.textContent)));
    expect(days.slice(-4, -1).every((n) => n > 0)).toBe(true); // today is not over
  }).toPass({ timeout: 200_000, intervals: [2000] });
}

const row = (page: Page, name: string) => page.getByRole('row').filter({ has: page.getByRole('link', { name, exact: true }) });

test('which nudge loses money, and why, down to an order', async ({ page }) => {
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
  await past(page);
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto(results);
  await tabTo(page, /^A fifth for autumn$/);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { level: 1, name: 'A fifth for autumn' })).toBeVisible();
  const wide = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  expect(wide).toBeLessThanOrEqual(0);
});

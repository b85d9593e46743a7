// What the stories of nudges share: begin one, publish it, and pay in the shop. What the
// shop charges is held against the program that decides from files.
import { execFileSync } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test, type BrowserContext, type Page } from '@playwright/test';
import { agonal, fillAddress, lindquill, pauseAll, resume, signIn } from './servers';

export interface Line {
  sku: string;
  quantity: number;
  plan?: string;
  build?: { nudge: string; id: string };
  origin?: { kind: string; nudge: string; instead?: string };
}
export interface Decision {
  to_pay: number;
  lines: { sku: string; amount: number; unit_off?: number; later?: number; build?: { id: string } }[];
  builds?: { id: string; state: string; price: number; amount: number; later?: number }[];
  gifts: { state: string; items?: { sku: string }[] }[];
}

const program = fileURLToPath(new URL('../bin/agonal', import.meta.url));

/** The database that the tests' server has its tables in. */
const database = () => {
  const url = process.env.DATABASE_URL ?? '';
  return `${url}${url.includes('?') ? '&' : '?'}search_path=browser_tests_${process.env.E2E_PART ?? 'all'}`;
};

/** The shop as it is now, in a file. */
export function shopFile(): string {
  const shop = join(mkdtempSync(join(tmpdir(), 'agonal-')), 'shop.json');
  writeFileSync(shop, execFileSync(program, ['document', 'lindquill'], { maxBuffer: 64 << 20, env: { ...process.env, DATABASE_URL: database() } }));
  return shop;
}

/** What the program on the command line decides for a cart. */
export function decided(cart: object, visit: object = {}, shop = shopFile(), moment: object = {}): Decision {
  const request = JSON.stringify({ cart: { destination: { country: 'DE' }, ...cart }, visit, moment: { at: new Date().toISOString(), ...moment } });
  return JSON.parse(execFileSync(program, ['decide', '--shop', shop], { input: request }).toString());
}

export const euros = (minor: number) => `€${(minor / 100).toFixed(2)}`;
export const promise = (page: Page) => page.getByRole('region', { name: 'The promise' });
export const panel = (page: Page) => page.locator('details.part[open] > .panel');
export const drawer = (page: Page) => page.getByRole('dialog', { name: 'Cart' });

// What the tests of this file have made, and what they have paused for it.
export const begun: string[] = [];
export let paused: string[] = [];

/** Lets the shop's own nudges go on, and those of the stories rest. */
export async function rest(page: Page) {
  await signIn(page);
  const were = new Set([...paused, ...(await pauseAll(page))]);
  await resume(
    page,
    [...were].filter((name) => !begun.includes(name)),
  );
  paused = [];
}
/** Does so after each story. */
export function restAfterwards() {
  test.afterEach(async ({ page }) => {
    if (page.url() !== 'about:blank') await rest(page);
  });
}

export const soon = { timeout: 1500 };
let clicks = 0;
/** How many clicks there were since the last start, or since they were last counted from nothing. */
export const clicksSoFar = () => clicks;
export const countAnew = () => (clicks = 0);
/** Clicks something of the workbench, and counts it. */
export async function click(page: Page, what: ReturnType<Page['locator']>) {
  clicks++;
  await what.click();
  await page.waitForLoadState();
}

export async function begin(page: Page, start: string) {
  await signIn(page);
  paused.push(...(await pauseAll(page)).filter((name) => !begun.includes(name)));
  clicks = 0;
  await click(page, page.getByRole('link', { name: 'Start a nudge' }));
  await click(page, page.getByRole('button', { name: `Begin with: ${start}` }));
  await expect(promise(page)).toBeVisible();
}

export async function save(page: Page) {
  await click(page, panel(page).getByRole('button', { name: 'Save' }));
  await expect(panel(page)).toHaveCount(0);
}

/** Rehearses the draft among what is live, and publishes it. */
export async function publish(page: Page) {
  const name = (await page.getByRole('heading', { level: 1 }).textContent())!.trim();
  await click(page, page.getByRole('link', { name: 'Rehearse' }));
  await expect(page.getByRole('heading', { level: 1, name: 'Rehearsal' })).toBeVisible();
  await expect(page.getByRole('main')).toContainText(name);
  await page.goBack();
  await expect(promise(page)).toBeVisible();
  await click(page, page.getByRole('button', { name: 'Publish revision 1' }));
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  begun.push(name);
  expect(clicks, 'clicks from the start to what is live').toBeLessThanOrEqual(15);
}

/** Waits until the shop's decisions know what was published. */
export async function live(shop: Page, path: string, seen: (shop: Page) => Promise<void>, timeout = 60_000) {
  await expect(async () => {
    await shop.goto(lindquill + path);
    await seen(shop);
  }).toPass({ timeout });
}

/** Pays, holds every line against the program, and returns what was charged. */
export async function order(shop: Page, lines: Line[], more: { codes?: string[]; visit?: object } = {}) {
  const d = decided({ lines, codes: more.codes ?? [] }, more.visit);
  await shop.goto(`${lindquill}/checkout`);
  const basket = shop.getByRole('main').locator('.basket').first();
  for (const l of d.lines.filter((x) => !x.build)) await expect(basket).toContainText(euros(l.amount - (l.unit_off ?? 0)));
  for (const b of d.builds ?? []) await expect(basket).toContainText(euros(b.price));
  await expect(shop.getByTestId('to-pay').last()).toHaveText(euros(d.to_pay));
  await fillAddress(shop);
  await shop.getByRole('button', { name: `Pay ${euros(d.to_pay)}` }).click();
  await expect(shop.getByRole('heading', { name: /Thank you, Arne Kolk/ })).toBeVisible();
  await expect(shop.getByText('We charged')).toContainText(euros(d.to_pay));
  return d;
}

/** One visit on a desk and one on a phone, each of a shopper who was never here. */
export async function atBothWidths(context: BrowserContext, visit: (shop: Page) => Promise<void>) {
  for (const width of [1280, 390]) {
    const shop = await context.newPage();
    await shop.setViewportSize({ width, height: 844 });
    await context.clearCookies({ domain: '127.0.0.1', name: /^lq_|^agonal_visit/ });
    await visit(shop);
    await shop.close();
  }
}

/** Makes codes of a pool. */
export async function makeCodes(page: Page, pool: string, number: string) {
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/shop/codes`);
  const form = page.locator('form', { has: page.getByRole('button', { name: 'Make codes' }) });
  await form.getByLabel('Pool').first().fill(pool);
  await form.getByLabel('How many').fill(number);
  await form.getByRole('button', { name: 'Make codes' }).click();
  await expect(page.getByText(`in the pool “${pool}” now.`)).toBeVisible();
}

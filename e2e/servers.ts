import { createServer, type Server } from 'node:http';
import { expect, type Page } from '@playwright/test';

/** Where the tests' own servers listen. */
const port = Number(process.env.E2E_PORT ?? 18080);
export const agonal = `http://127.0.0.1:${port}`;
export const lindquill = `http://127.0.0.1:${port + 1}`;
/** Another origin that the made-up shop allows. */
export const elsewhere = port + 3;
export const person = { email: 'ilse@lindquill.example', password: 'nine-quiet-harbours' };

export async function signIn(page: Page, email = person.email) {
  await page.goto(`${agonal}/sign-in`);
  await page.getByLabel('E-mail').fill(email);
  await page.getByLabel('Password').fill(person.password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Nudges' })).toBeVisible();
}

/** Brings nudges of the board into another state, all at once; the names are those that had the button. */
async function bring(page: Page, button: 'Pause' | 'Resume', to: string, wanted?: string[]): Promise<string[]> {
  await page.goto(`${agonal}/s/lindquill/nudges`);
  const names = await page.evaluate(
    async ([button, to, wanted]) => {
      const labels = [...document.querySelectorAll(`button[aria-label^="${button} "]`)].map((b) => b.getAttribute('aria-label')!.slice(button.length + 1));
      const names = labels.filter((name) => !wanted || wanted.includes(name));
      const form = document.querySelector<HTMLFormElement>('#several');
      if (!names.length || !form) return names;
      const sent = new URLSearchParams([...new FormData(form)].map(([k, v]) => [k, String(v)]));
      for (const tick of document.querySelectorAll<HTMLInputElement>('.board-tick'))
        if (names.includes(tick.getAttribute('aria-label')!.replace(/^Tick /, ''))) sent.append('id', tick.value);
      sent.set('to', to);
      await fetch(form.action, { method: 'POST', body: sent });
      return names;
    },
    [button, to, wanted] as const,
  );
  if (names.length) await page.goto(`${agonal}/s/lindquill/nudges`);
  return names;
}

/** Makes every live nudge pause, so that a test knows what can show, and returns their names. */
export async function pauseAll(page: Page) {
  const names = await bring(page, 'Pause', 'paused');
  await expect(page.getByRole('button', { name: /^Pause / })).toHaveCount(0);
  return names;
}

/** Lets those go on that a test has paused. */
export async function resume(page: Page, names: string[]) {
  if (!names.length) return;
  await bring(page, 'Resume', 'live', names);
  for (const name of names) await expect(page.getByRole('button', { name: `Pause ${name}`, exact: true })).toBeVisible();
}

/** Puts goods into the shop's cart from a product's page. */
export async function putIn(page: Page, product: string, option: string, quantity = 1) {
  await page.goto(`${lindquill}/products/${product}`);
  if (option) await page.getByText(option, { exact: false }).first().click();
  await page.getByLabel('How many').fill(String(quantity));
  await page.getByRole('button', { name: 'Add to cart' }).click();
  await expect(page.getByRole('dialog', { name: 'Cart' })).toBeVisible();
}

/** Finds something in a picker and chooses it with the keyboard. */
export async function choose(page: Page, label: string | RegExp, search: string, name: string | RegExp = search) {
  const field = page.getByRole('combobox', { name: label });
  await field.click();
  await field.fill(search);
  const option = page.getByRole('option', { name }).first();
  await expect(option).toBeVisible();
  for (let i = 0; i < 40; i++) {
    await page.keyboard.press('ArrowDown');
    if ((await option.getAttribute('aria-selected')) === 'true') break;
  }
  await page.keyboard.press('Enter');
}

/** Presses Tab until the focus is on what a name fits, and returns how often. */
export async function tabTo(page: Page, name: RegExp, most = 60) {
  for (let i = 0; i < most; i++) {
    await page.keyboard.press('Tab');
    const at = await page.evaluate(() => {
      let e = document.activeElement as HTMLElement | null;
      while (e?.shadowRoot?.activeElement) e = e.shadowRoot.activeElement as HTMLElement;
      const label = e?.getAttribute('aria-label') ?? (e as HTMLInputElement | null)?.labels?.[0]?.textContent ?? e?.textContent ?? '';
      return label.replace(/\s+/g, ' ').trim();
    });
    if (name.test(at)) return;
  }
  throw new Error(`Tab never came to ${name}`);
}

export const topBar = (page: Page) => page.locator('agonal-nudge[place=top_bar]');

/** Fills in where a parcel goes. */
export async function fillAddress(page: Page, name = 'Arne Kolk') {
  const main = page.getByRole('main');
  for (const [label, text] of Object.entries({ Name: name, 'Street and number': 'Ufer 1', Postcode: '26723', Town: 'Vessmark' }))
    await main.getByLabel(label).fill(text);
}

/** A plain page of the merchant's own, on an origin of its own. */
export function ownPage(port: number, html: () => string): Promise<Server> {
  return new Promise((ready) => {
    const s = createServer((_, res) => res.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' }).end(html()));
    s.listen(port, '127.0.0.1', () => ready(s));
  });
}

/** Makes the browser's visitor one from whom no nudge is kept. */
export async function seesAll(page: Page) {
  for (let i = 0; ; i++) {
    const visitor = `sees-all-${i}`;
    const r = await page.request.post(`${agonal}/v1/decisions`, {
      headers: { Authorization: 'Bearer pk_lindquill_demo' },
      data: { cart: { lines: [{ sku: 'DUNA5-D', quantity: 5 }], destination: { country: 'DE' } }, visit: { id: 'x', visitor }, moment: { locale: 'en' } },
    });
    const d = (await r.json()) as { nudges: { reason?: string }[] };
    if (d.nudges.some((n) => n.reason === 'held_out')) continue;
    await page.context().addCookies([{ name: 'agonal_visitor', value: visitor, url: lindquill }]);
    return;
  }
}

/** Waits until the demo's past is made: its last days have orders. */
export async function past(page: Page) {
  await signIn(page);
  await expect(async () => {
    await page.goto(`${agonal}/s/lindquill/results`);
    await page.getByText('The days as a table').click();
    const rows = page.getByRole('row').filter({ has: page.getByRole('rowheader', { name: /^\w{3} \d+ \w{3} \d{4}$/ }) });
    await expect(rows).toHaveCount(56);
    const days = await rows.evaluateAll((all) => all.map((r) => Number(r.querySelector('td')!.textContent)));
    expect(days.slice(-4, -1).every((n) => n > 0)).toBe(true); // today is not over
  }).toPass({ timeout: 200_000, intervals: [2000] });
}

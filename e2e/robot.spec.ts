// Shoppers made up by a seed go through the real shop: whatever they do, there is at most one
// dialog at a time, what was declined stays quiet, and what an offer says it costs is what the
// order then costs more. ROBOTS says how many visits, STEPS how long each is.
import { expect, test, type Page } from '@playwright/test';
import { agonal, lindquill, signIn } from './servers';
import { begun, restAfterwards } from './story';

restAfterwards();

const robots = Number(process.env.ROBOTS ?? 1);
const steps = Number(process.env.STEPS ?? 20);

interface Offer {
  nudge: string;
  items: { sku: string; instead?: string; taken?: boolean; more?: number }[];
}
interface Told {
  to_pay: number;
  lines: { sku: string; quantity: number }[];
  offers?: Offer[];
}

/** Numbers from a seed, the same each time. */
function numbers(seed: number) {
  let state = seed * 2654435761 + 1;
  return (below: number) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

const told = (shop: Page) => shop.evaluate(() => (window as unknown as { Agonal?: { decision(): Told | null } }).Agonal?.decision() ?? null);

/** Every dialog that is open, in the page and in what the embed draws. */
const dialogs = (shop: Page) =>
  shop.evaluate(() => {
    const found: string[] = [];
    const look = (root: Document | ShadowRoot) => {
      for (const e of root.querySelectorAll('*')) {
        if (e instanceof HTMLDialogElement && e.open) found.push(e.getAttribute('aria-label') ?? e.textContent ?? '');
        if (e.shadowRoot) look(e.shadowRoot);
      }
    };
    look(document);
    return found;
  });

class Robot {
  met: Record<string, number> = {};
  private declined: string[] = [];
  private asking = new Set<unknown>();
  private last = 0;
  wrong: string[] = [];

  constructor(
    private shop: Page,
    private roll: (below: number) => number,
  ) {
    for (const event of ['request', 'requestfinished', 'requestfailed'] as const)
      shop.on(event as 'request', (r) => {
        if (event === 'request') this.asking.add(r);
        else this.asking.delete(r);
        this.last = Date.now();
      });
    shop.on('pageerror', (e) => this.wrong.push(`page error: ${e.message}`));
    shop.on('console', (m) => m.type() === 'error' && this.wrong.push(`console: ${m.text()}`));
  }
  private count(what: string) {
    this.met[what] = (this.met[what] ?? 0) + 1;
  }
  private pick<T>(of: T[]): T {
    return of[this.roll(of.length)];
  }
  /** Waits until nothing has been on its way for a while. */
  private async rest() {
    this.last = Date.now();
    for (const end = Date.now() + 8000; Date.now() < end && (this.asking.size || Date.now() - this.last < 250);) await this.shop.waitForTimeout(40);
    this.asking.clear();
    await this.shop.waitForLoadState();
  }
  /** Goes to a page; a page that was still on its way there gives way to it. */
  private async go(path: string) {
    await this.shop.goto(lindquill + path).catch(() => this.shop.goto(lindquill + path));
  }

  async step() {
    const act = this.pick(['see', 'see', 'add', 'add', 'add', 'cart', 'more', 'remove', 'reload', 'back', 'open', 'country', 'tick', 'offer']);
    this.count(act);
    await this[act as 'see']();
    await this.rest();
    await this.answer();
    await this.rest();
    const open = await dialogs(this.shop);
    if (open.length > 1) this.wrong.push(`after ${act}: ${open.length} dialogs: ${open.join(' | ')}`);
  }
  async see() {
    await this.go(this.pick(['/', '/collections/Inks', '/collections/Notebooks', '/products/dunlin-a5', '/products/kelp-green', '/sets/a-letter-a-week']));
  }
  async add() {
    await this.go(`/products/${this.pick(['harbour-blue', 'beacon-red', 'kelp-green', 'dunlin-a5', 'kittiwake'])}`);
    const choices = this.shop.locator('#add label').filter({ has: this.shop.locator('input:enabled') });
    if (!(await choices.count())) return;
    await choices.nth(this.roll(await choices.count())).click();
    await this.shop.getByRole('button', { name: 'Add to cart' }).click();
  }
  async cart() {
    await this.go('/cart');
  }
  async more() {
    await this.go('/cart');
    const fields = this.shop.getByRole('main').getByLabel(/^Quantity of/);
    if (!(await fields.count())) return;
    await fields.nth(this.roll(await fields.count())).fill(String(1 + this.roll(6)));
    await this.shop.keyboard.press('Enter');
  }
  async remove() {
    await this.go('/cart');
    const buttons = this.shop.getByRole('main').getByRole('button', { name: /^Remove/ });
    if (await buttons.count()) await buttons.nth(this.roll(await buttons.count())).click();
  }
  async reload() {
    await this.shop.reload();
  }
  async back() {
    await this.shop.goBack().catch(() => null);
    if (!this.shop.url().startsWith(lindquill)) await this.go('/');
  }
  async open() {
    const link = this.shop.locator('a[data-cart]');
    if ((await link.count()) && !(await dialogs(this.shop)).length) await link.click();
  }
  async country() {
    const pick = this.shop.locator('#deliver-to select');
    if ((await pick.count()) && !(await dialogs(this.shop)).length) await pick.selectOption(this.pick(['DE', 'AT', 'DE', 'PL']));
  }
  async tick() {
    await this.go('/checkout');
    await this.rest();
    const box = this.shop.getByRole('checkbox');
    if (await box.count()) await this.tries(() => box.first().click(), 'a tick');
  }
  /** Takes what is offered beside the cart, where something is. */
  async offer() {
    await this.go('/cart');
    await this.rest();
    const yes = this.shop.getByRole('main').locator('.offers .put');
    if (await yes.count()) await this.tries(() => yes.first().click(), 'an offer in the cart');
  }

  /** Answers a dialog of the embed, or closes what is open, sometimes. */
  private async answer() {
    const [open] = await dialogs(this.shop);
    if (open === undefined) return;
    const asks = this.shop.locator('agonal-nudge dialog[open]');
    if (!(await asks.count())) {
      if (this.roll(2)) await this.shop.keyboard.press('Escape');
      return;
    }
    this.count('asked');
    if (this.declined.includes(open)) this.wrong.push(`asked again after it was declined: ${open}`);
    if (this.roll(2)) return this.tries(() => asks.locator('.put').first().click(), open);
    this.declined.push(open);
    this.count('declined');
    if (this.roll(2)) await asks.locator('.no').click();
    else await this.shop.keyboard.press('Escape');
  }
  /** Takes an offer, and holds what it costs against what was said. */
  private async tries(take: () => Promise<void>, what: string) {
    const before = await told(this.shop);
    await take();
    await this.rest();
    const after = await told(this.shop);
    const had = new Map(before?.lines.map((l) => [l.sku, l.quantity]));
    const item = before?.offers
      ?.flatMap((o) => o.items)
      .find((it) => !it.taken && it.more !== undefined && after?.lines.some((l) => l.sku === it.sku && l.quantity > (had.get(it.sku) ?? 0)));
    if (!before || !after || !item) return;
    this.count('taken');
    if (after.to_pay - before.to_pay !== item.more) this.wrong.push(`${what}: said ${item.more} more, it was ${after.to_pay - before.to_pay}`);
  }
}

test('shoppers made up by a seed: one dialog at a time, asked once, every difference true', async ({ page, browser }) => {
  test.setTimeout(120_000 + robots * steps * 4000);
  await signIn(page);
  for (const name of ['A bottle instead', 'A blotter beside', 'Good paper for good ink']) {
    await page.goto(`${agonal}/s/lindquill/nudges`);
    await page.getByRole('link', { name, exact: true }).click();
    await page.getByRole('button', { name: 'Publish revision 1' }).click();
    await expect(page.getByText('Revision 1 is published.')).toBeVisible();
    begun.push(name);
  }
  await page.waitForTimeout(1500);
  const met: Record<string, number> = {};
  for (let n = 0; n < robots; n++) {
    const context = await browser.newContext({ viewport: n % 2 ? { width: 390, height: 844 } : { width: 1280, height: 800 } });
    const robot = new Robot(await context.newPage(), numbers(n + 1));
    await robot.see();
    for (let s = 0; s < steps && !robot.wrong.length; s++) await robot.step();
    expect(robot.wrong, `visit ${n + 1}`).toEqual([]);
    for (const [what, times] of Object.entries(robot.met)) met[what] = (met[what] ?? 0) + times;
    await context.close();
  }
  console.log(
    `robots ${robots} × ${steps}: ${Object.entries(met)
      .map(([what, times]) => `${what} ${times}`)
      .join(', ')}`,
  );
  if (robots > 3) expect(met.taken ?? 0).toBeGreaterThan(0);
});

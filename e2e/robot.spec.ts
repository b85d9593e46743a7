// Shoppers made up by a seed go through the real shop: whatever they do, there is at most one
// dialog at a time, what was declined stays quiet, what is said on a page agrees with itself and
// with the sums, and what an offer, a suggestion or a code is said to change is what it changes.
// ROBOTS says how many visits, STEPS how long each is, ATONCE how many go on beside each other.
import { expect, test, type Browser, type Locator, type Page } from '@playwright/test';
import { agonal, lindquill, signIn } from './servers';
import { begun, euros, makeCodes, rest } from './story';

const robots = Number(process.env.ROBOTS ?? 1);
const steps = Number(process.env.STEPS ?? 20);
const start = Number(process.env.FROM ?? 1);
const atOnce = Number(process.env.ATONCE ?? 1);

interface Piece {
  sku: string;
  quantity: number;
}
interface Told {
  to_pay: number;
  lines: Piece[];
  shipping?: { methods?: { method: string; name: string; fee: number }[] };
  cart?: { also?: { nudge: string; items: Piece[]; label: string }[] };
  nudges: { nudge: string; rungs: { rung: number; state: string; lasting?: number | null }[]; suggestions?: { items: Piece[]; net: number }[] }[];
  says: { nudge: string; rung: number; state: string; text: string; pieces: { text: string; strong?: boolean }[]; hints?: { sku: string; add: number }[] }[];
  shown: Record<string, string[]>;
  offers?: {
    nudge: string;
    items: { sku: string; instead?: string; taken?: boolean; more?: number }[];
    together?: { sums: { skus: string[]; more: number }[] };
  }[];
}
/** Numbers from a seed, the same each time. */
function numbers(seed: number) {
  let state = seed * 2654435761 + 1;
  return (below: number) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

/** Looks at the page, again where it went away meanwhile. */
async function look<T>(shop: Page, at: () => Promise<T>): Promise<T> {
  try {
    return await at();
  } catch {
    await shop.waitForLoadState();
    return at();
  }
}

const told = (shop: Page) => look(shop, () => shop.evaluate(() => (window as unknown as { Agonal?: { decision(): Told | null } }).Agonal?.decision() ?? null));

/** Every dialog that is open, in the page and in what the embed draws. */
const dialogs = (shop: Page) =>
  look(shop, () =>
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
    }),
  );

/** The decision, and what the elements of the page show of it, letter by letter, at one moment. */
const page = (shop: Page) =>
  look(shop, () =>
    shop.evaluate(() => {
      const d = (window as unknown as { Agonal?: { decision(): Told | null } }).Agonal?.decision() ?? null;
      const written = [...document.querySelectorAll('agonal-nudge')].flatMap((e) => {
        const p = e.shadowRoot?.querySelector('[part=nudge] > p');
        const own = [...(p?.childNodes ?? [])].filter((n) => !(n instanceof HTMLElement && n.matches('.act')));
        const text = own
          .map((n) => n.textContent)
          .join('')
          .trim();
        return e.hasAttribute('from') || (e as HTMLElement).hidden || !text ? [] : [{ place: e.getAttribute('place') ?? '', text }];
      });
      return { d, written };
    }),
  );

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
    for (const end = Date.now() + 8000; Date.now() < end && (this.asking.size || Date.now() - this.last < 200);) await this.shop.waitForTimeout(40);
    this.asking.clear();
    await this.shop.waitForLoadState();
  }
  /** Goes to a page; a page that was still on its way there gives way to it. */
  private async go(path: string) {
    await this.shop.goto(lindquill + path).catch(() => this.shop.goto(lindquill + path));
  }

  async step() {
    const act = this.pick([
      ...['see', 'see', 'add', 'add', 'add', 'cart', 'more', 'remove', 'reload', 'back', 'open', 'country', 'tick', 'offer'],
      ...['together', 'together', 'suggestion', 'hint', 'notice', 'share', 'leave'],
    ]);
    this.count(act);
    await this[act as 'see']();
    await this.rest();
    if (await this.answer()) await this.rest();
    const open = await dialogs(this.shop);
    if (open.length > 1) this.wrong.push(`after ${act}: ${open.length} dialogs: ${open.join(' | ')}`);
    await this.agrees(act);
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
    await this.any(this.shop.getByRole('main').getByRole('button', { name: /^Remove/ }));
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
    await this.shop.waitForTimeout(400); // it is sent a moment after the last change
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
  /** Puts in what goes with a product, with some of it unticked: it costs what was said. */
  async together() {
    await this.go(`/products/${this.pick(['harbour-blue', 'beacon-red', 'kelp-green'])}`);
    await this.rest();
    const offers = this.shop.getByRole('main').locator('.offers', { has: this.shop.locator('.with') });
    if ((await dialogs(this.shop)).length || !(await offers.count())) return;
    for (const box of await offers.first().getByRole('checkbox').all()) if (!this.roll(3)) await box.click();
    const before = await told(this.shop);
    const id = before?.shown.product_block?.find((n) => before.offers?.some((o) => o.nudge === n && o.together));
    const sums = before?.offers?.find((o) => o.nudge === id)?.together?.sums;
    const skus = await offers.first().evaluate(
      (e, items) => {
        const boxes = [...e.querySelectorAll<HTMLInputElement>('ul.with input')];
        return items.filter((_, i) => boxes[i]?.checked);
      },
      before?.offers
        ?.find((o) => o.nudge === id)
        ?.items.filter((it) => !it.taken)
        .map((it) => it.sku) ?? [],
    );
    const is = sums?.find((x) => x.skus.join() === skus.join());
    const yes = offers.first().locator('.put');
    if (!before || !is || (await yes.getAttribute('aria-disabled')) === 'true') return;
    await yes.click();
    await this.rest();
    const after = await told(this.shop);
    this.count('taken together');
    if (after && after.to_pay - before.to_pay !== is.more)
      this.wrong.push(`together (${skus.join()}): said ${is.more} more, it was ${after.to_pay - before.to_pay}`);
  }
  /** Puts in what is suggested in the cart: the order changes by what was said, and the rung is reached. */
  async suggestion() {
    if (!(await this.drawer())) return;
    const before = await told(this.shop);
    const cards = this.shop.locator('agonal-cart .card');
    const all = before?.cart?.also ?? [];
    if (!before || !all.length || (await cards.count()) !== all.length) return;
    const n = this.roll(all.length);
    const of = before.nudges.find((x) => x.nudge === all[n].nudge);
    const same = (a: Piece[]) => a.map((i) => `${i.sku} ${i.quantity}`).join();
    const said = of?.suggestions?.find((x) => same(x.items) === same(all[n].items));
    await cards.nth(n).getByRole('button').click();
    await this.rest();
    const after = await told(this.shop);
    if (!said || !of || !after) return;
    this.count('suggestion taken');
    if (after.to_pay - before.to_pay !== said.net) this.wrong.push(`${all[n].label}: said ${said.net} more, it was ${after.to_pay - before.to_pay}`);
    const reached = (d: Told) => d.nudges.find((x) => x.nudge === of.nudge)?.rungs.filter((r) => r.state !== 'open').length ?? 0;
    if (reached(after) <= reached(before)) this.wrong.push(`${all[n].label}: put in for ${of.nudge}, and no rung more is reached`);
  }
  /** Presses the hint beside a line: as many pieces more are in the cart. */
  async hint() {
    await this.go('/cart');
    await this.rest();
    const hints = this.shop.getByRole('main').locator('agonal-line .hint button');
    if ((await dialogs(this.shop)).length || !(await hints.count())) return;
    const sku = await hints.first().evaluate((b) => ((b.getRootNode() as ShadowRoot).host as HTMLElement).getAttribute('sku') ?? '');
    const before = await told(this.shop);
    const h = before?.says.flatMap((s) => s.hints ?? []).find((x) => x.sku === sku);
    await hints.first().click();
    await this.rest();
    const after = await told(this.shop);
    const many = (d: Told) => d.lines.filter((l) => l.sku === sku).reduce((a, l) => a + l.quantity, 0);
    if (!before || !after || !h) return;
    this.count('hint taken');
    if (many(after) - many(before) !== h.add) this.wrong.push(`the hint for ${sku}: ${h.add} more, ${many(after) - many(before)} came`);
  }
  /** Presses what an announcement leads to. */
  async notice() {
    await this.go('/cart');
    await this.rest();
    if (!(await dialogs(this.shop)).length) await this.any(this.shop.getByRole('main').locator('agonal-nudge .act'));
  }
  /** Shares the cart where that earns something: the order is lower by what was said. */
  async share() {
    if (!(await this.drawer())) return;
    const button = this.shop.locator('agonal-cart agonal-nudge').getByRole('button', { name: 'Share my cart' });
    if (!(await button.count())) return;
    const { before, text } = await this.saying('pay', 'less');
    const [place] = await Promise.all([this.shop.context().waitForEvent('page'), button.first().click()]);
    await place.getByRole('button', { name: 'Post it' }).click();
    await place.getByRole('blockquote').waitFor();
    await this.rest();
    await place.close();
    await this.rest();
    this.lowered(before, await told(this.shop), text, 'shared');
  }
  async leave() {
    await look(this.shop, () =>
      this.shop.evaluate(() => document.dispatchEvent(new MouseEvent('mouseout', { bubbles: true, clientY: -1, relatedTarget: null }))),
    );
  }

  /** Presses one of several, where there is one. */
  private async any(buttons: Locator) {
    const many = await buttons.count();
    if (many) await buttons.nth(this.roll(many)).click();
  }
  /** Opens the cart, where no dialog is in the way. */
  private async drawer() {
    await this.rest();
    const open = await dialogs(this.shop);
    if (open.length) return open[0] === 'Cart';
    await this.open();
    await this.rest();
    return (await dialogs(this.shop))[0] === 'Cart';
  }
  /** The decision, and of what is said in it that which has these words. */
  private async saying(...words: string[]) {
    const before = await told(this.shop);
    return { before, text: before?.says.find((s) => words.every((w) => s.text.includes(w)))?.text ?? '' };
  }
  private lowered(before: Told | null, after: Told | null, text: string, what: string) {
    if (!before || !after || !text) return;
    this.count(what);
    const less = before.to_pay - after.to_pay;
    if (!text.includes(euros(less))) this.wrong.push(`${what}: “${text}”, and it was ${euros(less)} less`);
  }

  /** What is written on the page is what was decided, is not said in two ways, and holds in the sums. */
  private async agrees(act: string) {
    const { d, written } = await page(this.shop);
    if (!d) return;
    for (const { place, text } of written) {
      if (!d.says.some((s) => s.text.trim() === text)) this.wrong.push(`after ${act}, ${place}: “${text}” is written, and nothing says so any more`);
    }
    for (const s of d.says) {
      const rungs = d.nudges.find((n) => n.nudge === s.nudge)?.rungs;
      const r = rungs?.find((x) => x.rung === s.rung);
      if (!r || d.offers?.some((o) => o.nudge === s.nudge && o.together)) continue; // what is looked at may reach it, too
      if (s.state === 'reached' && !['reached', 'superseded'].includes(r.state)) this.wrong.push(`after ${act}: “${s.text}”, and its rung is ${r.state}`);
      if (s.state === 'not_yet' && r.state !== 'open') this.wrong.push(`after ${act}: “${s.text}”, and its rung is ${r.state}`);
      const fee = d.shipping?.methods?.find((m) => s.pieces.some((w) => w.strong && w.text === `free ${m.name}`))?.fee;
      if (s.state === 'reached' && fee) this.wrong.push(`after ${act}: “${s.text}”, and it costs ${euros(fee)}`);
    }
    this.count('pages held against the decision');
  }

  /** Answers a dialog of the embed, or closes what is open, sometimes; whether anything was done. */
  private async answer() {
    const [open] = await dialogs(this.shop);
    if (open === undefined) return false;
    const asks = this.shop.locator('agonal-nudge dialog[open]');
    if (!(await asks.count())) {
      if (this.roll(2)) await this.shop.keyboard.press('Escape');
      return true;
    }
    this.count('asked');
    if (this.declined.includes(open)) this.wrong.push(`asked again after it was declined: ${open}`);
    if (this.roll(2)) {
      const stay = asks.getByRole('button', { name: 'Stay and take it' });
      if (await stay.count()) {
        const { before, text } = await this.saying('less');
        await stay.click();
        await this.rest();
        this.lowered(before, await told(this.shop), text, 'stayed');
      } else await this.tries(() => asks.locator('.put').first().click(), open);
      return true;
    }
    this.declined.push(open);
    this.count('declined');
    if (this.roll(2)) await asks.locator('.no').click();
    else await this.shop.keyboard.press('Escape');
    return true;
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

/** Publishes a draft of the shop, or what a starting point makes. */
async function publish(page: Page, name: string, anew = false) {
  await page.goto(`${agonal}/s/lindquill/nudges`);
  if (anew) {
    await page.getByRole('link', { name: 'Start a nudge' }).click();
    await page.getByRole('button', { name: `Begin with: ${name}` }).click();
  } else await page.getByRole('link', { name, exact: true }).click();
  const title = page.getByRole('heading', { level: 1 });
  await page.getByRole('button', { name: 'Publish revision 1' }).click();
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
  begun.push((await title.textContent())!.trim());
}

const met: Record<string, number> = {};
let ready = false;

/** Publishes what robots are to meet, once. */
async function prepare(page: Page) {
  if (ready) return;
  await makeCodes(page, 'staying', String(robots));
  for (const name of ['A bottle instead', 'A blotter beside', 'Good paper for good ink']) await publish(page, name);
  for (const name of ['What goes with it, put in together', 'A thank-you for sharing the cart', 'A word to who is about to leave'])
    await publish(page, name, true);
  await page.waitForTimeout(1500);
  ready = true;
}

async function visit(browser: Browser, n: number) {
  const context = await browser.newContext({ viewport: n % 2 ? { width: 1280, height: 800 } : { width: 390, height: 844 }, locale: 'en-GB' });
  const robot = new Robot(await context.newPage(), numbers(n));
  await robot.see();
  for (let s = 0; s < steps && !robot.wrong.length; s++) await robot.step().catch((e: Error) => robot.wrong.push(`step ${s + 1}: ${e.message}`));
  for (const [what, times] of Object.entries(robot.met)) met[what] = (met[what] ?? 0) + times;
  await context.close();
  return robot.wrong.map((w) => `visit ${n}: ${w}`);
}

// Some visits each: what a test has done is kept until it ends, and slows it down.
const together = 10;
for (let first = start; first <= robots; first += together) {
  const last = Math.min(first + together - 1, robots);
  test(`shoppers made up by a seed, ${first} to ${last}: one dialog at a time, asked once, every promise true`, async ({ page, browser }) => {
    test.setTimeout(180_000 + together * steps * 4000);
    await prepare(page);
    const wrong: string[] = [];
    let next = first;
    const visits = async () => {
      for (let n = next++; n <= last; n = next++) wrong.push(...(await visit(browser, n)));
    };
    await Promise.all(Array.from({ length: atOnce }, visits));
    if (last === robots) {
      const table = Object.entries(met).sort(([a], [b]) => a.localeCompare(b));
      console.log(
        `visits ${start} to ${robots}, ${steps} steps each\n${table.map(([what, times]) => `  ${what.padEnd(34)}${String(times).padStart(6)}`).join('\n')}`,
      );
    }
    if (last === robots) await rest(page);
    expect(wrong).toEqual([]);
  });
}

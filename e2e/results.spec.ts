// What a merchant reads from the results: which nudge loses money and why, down to an order.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { expect, test, type Page } from '@playwright/test';
import { clean, fits } from './clean';
import { agonal, lindquill, past, putIn, seesAll, signIn, tabTo, topBar } from './servers';

const results = `${agonal}/s/lindquill/results`;

const row = (page: Page, name: string) => page.getByRole('row').filter({ has: page.getByRole('link', { name, exact: true }) });

/** Takes something of the page along. */
async function take(page: Page, what: string, name: string): Promise<Buffer> {
  const menu = page.locator('details', { has: page.getByText('Export', { exact: true }) });
  if (!(await menu.evaluate((d: HTMLDetailsElement) => d.open))) await page.getByText('Export', { exact: true }).click();
  const [file] = await Promise.all([page.waitForEvent('download'), menu.getByText(what, { exact: true }).click()]);
  expect(file.suggestedFilename()).toBe(name);
  return readFileSync(await file.path());
}

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
  const lines = (await take(page, 'Tables as CSV', 'lindquill-results.csv')).toString().trim().split('\r\n');
  const autumn = lines.find((l) => l.includes('A fifth for autumn'))!.split(',');
  const said = await row(page, 'A fifth for autumn').textContent();
  expect(said!.replaceAll(',', '')).toContain(`€${autumn[11]} given`);
  expect((await take(page, 'Tables as XLSX', 'lindquill-results.xlsx')).subarray(0, 2).toString()).toBe('PK');
  for (const [name, file, words] of [
    ['The days', 'lindquill-days', 'Orders of Lindquill'],
    ['Given and earned', 'lindquill-balance', 'A fifth for autumn'],
  ]) {
    expect((await take(page, `${name} as SVG`, `${file}.svg`)).toString()).toContain(words);
    expect((await take(page, `${name} as PNG`, `${file}.png`)).subarray(1, 4).toString()).toBe('PNG');
  }
  // What was asked for goes along to a nudge, its files, and back.
  await page.getByLabel('Where').selectOption('Home, in EUR');
  await page.getByRole('button', { name: 'Show' }).click();
  await page.getByRole('link', { name: 'A fifth for autumn', exact: true }).click();
  await expect(page.getByLabel('Where')).toHaveValue('region:home');
  const behind = (await take(page, 'Tables as CSV', 'lindquill-a-fifth-for-autumn.csv')).toString();
  const used = Number(
    (await page
      .getByRole('row', { name: /^orders in which/ })
      .getByRole('cell')
      .nth(1)
      .textContent())!.replace(/\D/g, ''),
  );
  expect(behind.split('\r\n').filter((l) => /^Orders,\d+,given away,/.test(l))).toHaveLength(used);
  expect((await take(page, 'Tables as XLSX', 'lindquill-a-fifth-for-autumn.xlsx')).subarray(0, 2).toString()).toBe('PK');
  await page.getByRole('link', { name: 'All results' }).click();
  await expect(page.getByLabel('Where')).toHaveValue('region:home');
  await page
    .getByRole('row', { name: /Notebooks by the stack.*(running|ended)/ })
    .getByRole('link')
    .click();
  expect((await take(page, 'Tables as CSV', 'notebooks-by-the-stack-2.csv')).toString()).toMatch(/^Arms,A,visits,\d+/m);
  expect((await take(page, 'Tables as XLSX', 'notebooks-by-the-stack-2.xlsx')).subarray(0, 2).toString()).toBe('PK');
  expect((await take(page, 'The band as SVG', 'notebooks-by-the-stack-2.svg')).toString()).toContain('margin per hundred visits');
  expect((await take(page, 'The band as PNG', 'notebooks-by-the-stack-2.png')).subarray(1, 4).toString()).toBe('PNG');
});

test('a shopper is erased, and what was counted stays', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  const first = page
    .getByRole('list', { name: /The whole shop/ })
    .getByRole('listitem')
    .first();
  const before = await first.textContent();
  await page.goto(`${agonal}/s/lindquill/shop/orders`);
  const row = page.getByRole('row', { name: /Made-up shopper/ }).first();
  const name = (await row.textContent())!.match(/Made-up shopper \w+/)![0];
  await row.getByRole('link').first().click();
  await expect(page.getByText(name)).toBeVisible();
  page.once('dialog', (d) => d.dismiss());
  await page.getByRole('button', { name: 'Erase the shopper' }).click();
  await expect(page.getByText(name)).toBeVisible(); // not without a yes
  page.once('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Erase the shopper' }).click();
  await expect(page.getByText(/The shopper is erased from \d+ orders? and \d+ visits?/)).toBeVisible();
  await expect(page.getByText('no name')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Erase the shopper' })).toBeHidden();
  await page.goto(results);
  expect(await first.textContent()).toBe(before);
});

test('a report each Monday', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  await page.getByRole('button', { name: 'Send it', exact: true }).dblclick();
  await expect(page.getByText(/Each Monday at 07:00 .* goes to ilse@lindquill.example/)).toBeVisible();
  await expect(page.getByRole('button', { name: 'Send it no more' })).toBeVisible();
  await expect(async () => {
    await page.goto(`${agonal}/mail`);
    await expect(page.getByRole('heading', { name: /^Lindquill, \d+ \w+ – / })).toHaveCount(1);
  }).toPass({ timeout: 60_000 });
  const report = await page.getByRole('article').filter({ hasText: 'In EUR' }).locator('pre').textContent();
  expect(report).toMatch(/\d+ orders/);
  expect(report).toMatch(/Winter ladder: .* given; over 8 weeks: /);
  const link = report!.match(/https?:\/\/\S+\/results\?\S+/)![0];
  expect(link).toContain(agonal);
  await page.goto(link);
  await expect(page.getByRole('heading', { level: 1, name: 'Results' })).toBeVisible();
  await page.getByRole('button', { name: 'Send it no more' }).click();
  await expect(page.getByText('No report comes any more.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Send it', exact: true })).toBeVisible();
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

test('a shopper goes for what was said, and the chance of it rises; what was learned is forgotten and comes back', async ({ page }) => {
  test.setTimeout(240_000);
  await past(page);
  const seen = async () => {
    const cells = page
      .getByRole('region', { name: 'How often it is accepted' })
      .getByRole('row', { name: /^over 50 %/ })
      .getByRole('cell');
    const [shown, accepted] = (await cells.allTextContents()).map((t) => Number(t.replace(/\D/g, '')));
    return { shown, accepted };
  };
  await page.goto(`${results}/winter-ladder`);
  const before = await seen();
  expect(before.shown).toBeGreaterThan(before.accepted);
  await seesAll(page);
  await page.goto(lindquill);
  await expect(topBar(page)).toContainText('€60.00');
  await page.waitForTimeout(1200); // half of it is to be seen for a second
  await putIn(page, 'harbour-blue', '30 ml', 5);
  await expect(page.getByRole('dialog', { name: 'Cart' })).toContainText('€70.00');
  await expect(async () => {
    await page.goto(`${results}/winter-ladder`);
    expect(await seen()).toEqual({ shown: before.shown + 1, accepted: before.accepted + 1 });
  }).toPass();
  await page.getByRole('button', { name: 'Forget what was learned' }).dblclick();
  await expect(page.getByText('it begins anew with the next visit')).toBeVisible();
  expect(await seen()).toEqual({ shown: 0, accepted: 0 });
  await expect(page.getByRole('button', { name: 'Forget what was learned' })).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('What was learned is back.')).toBeVisible();
  expect(await seen()).toEqual({ shown: before.shown + 1, accepted: before.accepted + 1 });
});

/** Made-up shoppers come by the shop's API; they order far more often where the parcel is free. */
function shoppers(visits: number, seed = 5) {
  const program = fileURLToPath(new URL('../bin/agonal', import.meta.url));
  execFileSync(program, [
    'simulate',
    '--url',
    agonal,
    '--visits',
    String(visits),
    '--seed',
    String(seed),
    '--lift',
    '4',
    '--carts',
    '0.8',
    '--conversion',
    '0.15',
  ]);
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
  await expect(page.getByRole('row', { name: /^B against A/ })).toContainText(/[+−]0\.\d\d s to /); // how fast pages are
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

test('a nudge is compared with doing without it', async ({ page, playwright }) => {
  test.setTimeout(240_000);
  await past(page);
  await page.goto(`${results}/harbour-code`);
  await expect(page.getByRole('link', { name: 'Compare with doing without' })).toBeHidden(); // a code is kept from nobody
  await page.goto(`${agonal}/s/lindquill/nudges/harbour-code/try?against=none`);
  await expect(page.getByText('needs no code')).toBeVisible();
  await page.goto(`${agonal}/s/lindquill/nudges/a-sampler-with-a-full-basket/try`);
  await page.getByRole('link', { name: 'Compare it with doing without it' }).click();
  await expect(page.getByText('None of it')).toBeVisible();
  await page.goto(`${results}/a-sampler-with-a-full-basket`);
  await page.getByRole('link', { name: 'Compare with doing without' }).click();
  await page.getByLabel('Share of visitors who have B, in percent').fill('97');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText('Write a share from 5 to 95.')).toBeVisible();
  await page.getByLabel('Share of visitors who have B, in percent').fill('30');
  await page.keyboard.press('Enter');
  await expect(page.getByText('None of it')).toBeVisible();
  await page.getByRole('button', { name: 'Start the trial' }).click();
  await expect(page.getByText('The trial has begun: 30 % of visitors do without it from now on.')).toBeVisible();
  await expect(page.getByRole('row', { name: /^B, without it/ })).toBeVisible();
  for (const [width, colorScheme] of [
    [390, 'dark'],
    [1280, 'light'],
  ] as const) {
    await page.setViewportSize({ width, height: 844 });
    await page.emulateMedia({ colorScheme });
    await clean(page, `a trial without, ${width}`);
    await fits(page, `a trial without, ${width}`);
  }
  // The shop's own pages tell how fast they are.
  const shopper = await page.context().newPage();
  await seesAll(shopper);
  const told = shopper.waitForRequest((r) => r.url().endsWith('/v1/events') && !!r.postData()?.includes('"loaded"'));
  await shopper.goto(`${lindquill}/products/harbour-blue`);
  expect((await told).postData()).toMatch(
    /"kind":"loaded","nudge":"a-sampler-with-a-full-basket".*"arm":"a-sampler-with-a-full-basket-without-1:(A|without)","ms":\d+/,
  );
  await shopper.close();
  // About three visitors of ten are not told of it.
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer pk_lindquill_demo' } });
  let without = 0;
  for (let i = 0; i < 60; i++) {
    const r = await api.post('/v1/decisions', {
      data: {
        cart: { lines: [{ sku: 'KELGRE-30', quantity: 1 }], destination: { country: 'DE' } },
        visit: { id: `w${i}`, visitor: `without-visitor-${i}` },
        moment: { locale: 'en' },
      },
    });
    const d = (await r.json()) as { nudges: { nudge: string; arm?: string }[] };
    if (d.nudges.some((n) => n.nudge === 'a-sampler-with-a-full-basket' && n.arm?.endsWith(':without'))) without++;
  }
  expect(without).toBeGreaterThan(5);
  expect(without).toBeLessThan(35);
  await page.getByRole('button', { name: 'Stop and pause it' }).dblclick();
  await expect(page.getByText('The nudge is paused from now on.')).toBeVisible();
  await page.goto(`${agonal}/s/lindquill/nudges`);
  await page.getByRole('button', { name: 'Resume A sampler with a full basket', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Pause A sampler with a full basket', exact: true })).toBeVisible();
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
  await page.getByLabel('Share of all visitors who are in it').fill('120');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText('Write a share from 5 to 100.')).toBeVisible();
  await page.getByLabel('Share of all visitors who are in it').fill('80');
  await page.getByLabel(/Keep it apart/).check();
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByLabel(/Keep it apart/)).toBeChecked();
  await page.getByRole('button', { name: 'Start the trial' }).click();
  await expect(page.getByText('80 % of visitors are in it, and 50 % of those have the draft from now on.')).toBeVisible();
  await expect(page.getByText('Its visitors are in no other trial that is kept apart.')).toBeVisible();
  // Another one that is kept apart finds no room, and what was typed stays.
  await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder/try?against=none&part=60&apart=yes`);
  await page.getByRole('button', { name: 'Start the trial' }).click();
  await expect(page.getByText(/20 % are free together/)).toBeVisible();
  await expect(page.getByLabel('Share of all visitors who are in it')).toHaveValue('60');
  // In a rehearsal one sits in either arm.
  await page.goto(`${agonal}/s/lindquill/rehearsal?sku=KELGRE-30`);
  await page.getByText('In which arms of trials').click();
  const sampler = page.getByLabel('A sampler with a full basket').and(page.locator('select'));
  for (const [arm, goal] of [
    ['B, the other revision', '€20.00'],
    ['A, as it is live', '€130.00'],
  ]) {
    await sampler.selectOption(arm);
    await expect(page.getByRole('main').getByText(goal).first()).toBeVisible();
    await expect(sampler).toHaveValue(arm[0].toLowerCase());
  }
  await page.goto(`${results}/trials/a-sampler-with-a-full-basket-2`);
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

test('one set of nudges is compared with another, on phones only', async ({ page, playwright, browser }) => {
  test.setTimeout(240_000);
  await past(page);
  await page.getByRole('link', { name: 'Compare one set of nudges with another' }).click();
  const has = (name: string, who: string) => page.getByRole('group', { name: `Who has ${name}` }).getByLabel(who);
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText('Choose at least one nudge that A or B alone has.')).toBeVisible();
  await has('A sampler with a full basket', 'A alone').check();
  await has('Three colours, one parcel', 'B alone').check();
  await page.getByText('Some visits only').click();
  await page.getByLabel('Looked at on').selectOption('a phone');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Work it out' }).click();
  await expect(page.getByText('Give the trial a name.')).toBeVisible();
  await expect(has('Three colours, one parcel', 'B alone')).toBeChecked(); // what was chosen stays
  await page.getByLabel('What this trial is called').fill('Sampler or colours');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/visits a day could see A sampler with a full basket/)).toBeVisible();
  await expect(page.getByText('The start puts Three colours, one parcel in force, for visitors of the trial only.')).toBeVisible();
  for (const [width, colorScheme] of [
    [390, 'dark'],
    [1280, 'light'],
  ] as const) {
    await page.setViewportSize({ width, height: 844 });
    await page.emulateMedia({ colorScheme });
    await clean(page, `two sets, ${width}`);
    await fits(page, `two sets, ${width}`);
  }
  await page.getByRole('button', { name: 'Start the trial' }).dblclick();
  await expect(page.getByText(/Trial, running since/)).toBeVisible();
  await expect(page.getByText('Only visits in which the shopper looks on a phone.')).toBeVisible();
  const trial = page.url();
  await page.goto(`${agonal}/s/lindquill/results/sets`);
  await expect(page.getByRole('row', { name: /A sampler with a full basket/ })).toContainText('It is being tried.');
  // Each phone has one of the two, and a desktop what was there before.
  const api = await playwright.request.newContext({ baseURL: agonal, extraHTTPHeaders: { Authorization: 'Bearer pk_lindquill_demo' } });
  const met = async (device: string) => {
    const found = new Set<string>();
    for (let i = 0; i < 40; i++) {
      const lines = ['HARBLU-30', 'BEARED-30'].map((sku) => ({ sku, quantity: 1 }));
      const visit = { id: `set-${i}`, visitor: `set-visitor-${i}`, device };
      const r = await api.post('/v1/decisions', { data: { cart: { lines, destination: { country: 'DE' } }, visit, moment: { locale: 'en' } } });
      const d = (await r.json()) as { nudges: { nudge: string; reason?: string; arm?: string }[] };
      const of = (id: string) => d.nudges.find((n) => n.nudge === id);
      const [sampler, colours] = [of('a-sampler-with-a-full-basket'), of('three-colours-one-parcel')];
      if ([sampler, colours].some((n) => n?.reason === 'held_out' && !n.arm)) continue; // of a tenth that is kept from it
      found.add([sampler, colours].map((n) => (n && n.reason !== 'held_out' && n.reason !== 'trial_only' ? 'has' : 'has not')).join(', '));
    }
    return [...found].sort();
  };
  expect(await met('phone')).toEqual(['has not, has', 'has, has not']);
  expect(await met('desktop')).toEqual(['has, has not']);
  // A phone's first page, which the shop's server made without knowing that it is one, counts for the trial.
  const phone = await browser.newContext({ hasTouch: true, isMobile: true, viewport: { width: 390, height: 844 } });
  const shopper = await phone.newPage();
  await seesAll(shopper);
  const could = shopper.waitForRequest((r) => r.url().endsWith('/v1/events') && !!r.postData()?.includes('"could"'));
  await shopper.goto(`${lindquill}/products/harbour-blue`);
  expect((await could).postData()).toMatch(/"kind":"could","nudge":"a-sampler-with-a-full-basket"[^}]*"arm":"sets--1:[AB]/);
  await phone.close();
  // In a rehearsal one sits in either.
  await page.goto(`${agonal}/s/lindquill/rehearsal?sku=HARBLU-30`);
  await page.getByText('In which arms of trials').click();
  await page.getByLabel('Sampler or colours').selectOption('B, with the set B');
  await expect(page.getByRole('main').getByText('Three colours, one parcel').first()).toBeVisible();
  await expect(page.getByLabel('Sampler or colours')).toHaveValue('b');
  const sampler = page.getByRole('article', { name: 'A sampler with a full basket' });
  await expect(sampler.getByRole('link', { name: 'Where that is decided' })).toHaveAttribute('href', /results\/trials\/sets--1$/);
  shoppers(60, 6);
  await page.goto(trial);
  await expect(page.getByRole('row', { name: /^A / })).not.toHaveText(/^\s*A\s*0\s/);
  await page.getByRole('button', { name: 'Stop and keep A alone' }).dblclick();
  await expect(page.getByText('The set A is in force from now on, and the nudges of B have ended.')).toBeVisible();
  await expect(page.getByText('Ilse Marrin kept A alone. Everybody has it.')).toBeVisible();
  await expect.poll(() => met('phone')).toEqual(['has, has not']);
});

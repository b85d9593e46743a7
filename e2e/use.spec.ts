// A day of hasty use: on every page with a form, Enter in every field, a double
// click on every button, back, forward and reload after it, two tabs, signed out,
// as a viewer. Never a page inside a page, never an act done twice, never silence.
import { expect, test, type Locator, type Page } from '@playwright/test';
import { agonal, choose, lindquill, putIn, signIn } from './servers';

const shop = (path: string) => `${agonal}/s/lindquill/${path}`;

/** What no page may ever be, whatever was done to it. */
async function whole(page: Page, what: string) {
  await expect(page.locator('main'), `${what}: one page`).toHaveCount(1);
  await expect(page.locator('.htmx-request, form[data-sent], form[data-leaving]'), `${what}: an answer`).toHaveCount(0);
  const twice = await page.evaluate(() => {
    const ids = [...document.querySelectorAll('[id]')].map((e) => e.id);
    return ids.filter((id, i) => ids.indexOf(id) !== i);
  });
  expect(twice, `${what}: ids`).toEqual([]);
  await expect(page.getByText('Agonal failed at this'), what).toHaveCount(0);
}

/** Every field that can be typed into and seen, and what a hasty hand types. */
async function fields(page: Page): Promise<Locator[]> {
  const all = await page.locator('main input:visible, main textarea:visible').all();
  const out = [];
  for (const f of all) {
    const type = await f.getAttribute('type');
    if ((await f.isEditable()) && !['checkbox', 'radio', 'file', 'datetime-local'].includes(type ?? '')) out.push(f);
  }
  return out;
}

const pages: Record<string, string> = {
  'the products': shop('shop'),
  'an import': shop('shop/import'),
  'a region': shop('shop/regions/uk'),
  'a new region': shop('shop/regions/new'),
  look: shop('shop/look'),
  settings: shop('shop/settings'),
  connection: shop('shop/connection'),
  people: shop('shop/people'),
  rehearsal: shop('rehearsal?sku=HARBLU-30'),
  'kept visits': shop('rehearsal/kept'),
  'nudges as a file': shop('nudge-file'),
  'the board': shop('nudges'),
  'your shops': `${agonal}/shops`,
  'your account': `${agonal}/account`,
  'a product of the shop': `${lindquill}/products/harbour-blue`,
  'the cart': `${lindquill}/cart`,
  'the checkout': `${lindquill}/checkout`,
};

for (const [name, url] of Object.entries(pages)) {
  test(`Enter in every field, back, forward and reload: ${name}`, async ({ page }) => {
    test.setTimeout(180_000);
    page.on('dialog', (d) => (d.type() === 'beforeunload' ? d.accept() : d.dismiss()));
    if (url.startsWith(lindquill)) await putIn(page, 'oyster-grey', '30 ml');
    else await signIn(page);
    await page.goto(url);
    const n = (await fields(page)).length;
    for (let i = 0; i < n; i++) {
      await page.goto(url);
      const field = (await fields(page))[i];
      await field.fill('x');
      await field.press('Enter');
      await whole(page, `Enter in field ${i}`);
      // Nothing of one letter is right in most fields: it is said, or kept, or was fine.
      const told = page.locator('.error:visible, .bad:visible, [role=alert]:visible, [role=status]:visible, [aria-invalid=true]:visible, .told:visible');
      const kept = await page.evaluate(() =>
        [...document.querySelectorAll<HTMLInputElement>('main input, main textarea')].some((f) => f.value === 'x' || f.value.includes('x')),
      );
      expect((await told.count()) > 0 || kept || page.url() !== url, `field ${i}: something is said, or what was typed is there`).toBe(true);
      await page.goBack().catch(() => null);
      await whole(page, `back from field ${i}`);
      await page.goForward().catch(() => null);
      await whole(page, `forward to field ${i}`);
      await page.reload();
      await whole(page, `reload after field ${i}`);
    }
  });
}

test('a double click does everything once', async ({ page }) => {
  test.setTimeout(120_000);
  await signIn(page);
  const drafts = () => page.locator('#board-list > article').count();
  await page.goto(shop('nudges'));
  await expect(page.getByRole('article', { name: 'Parcels to Japan' })).toBeVisible();
  await page.waitForLoadState();
  const before = await drafts();
  await page.goto(shop('nudges/start'));
  await page.getByRole('button', { name: /^Begin with: A code/ }).dblclick();
  await expect(page.getByRole('button', { name: 'Publish revision 1' })).toBeVisible();
  const id = new URL(page.url()).pathname.split('/').at(-1); // another test may have begun one of the same name
  await page.getByRole('button', { name: '+ rung' }).dblclick();
  await whole(page, '+ rung');
  await expect(page.locator('[id^=part-goal-]')).toHaveCount(2);
  await page.getByLabel('Goal of rung 2: €0.01').click();
  await page.getByRole('button', { name: 'Remove this rung' }).dblclick();
  await expect(page.locator('[id^=part-goal-] > summary')).toHaveCount(1); // of two, none could be asked for its text
  await expect(page.locator('[id^=part-goal-] > summary')).toHaveText('with every order');
  await page.getByRole('button', { name: 'Publish revision 1' }).dblclick();
  await expect(page.getByText('Revision 1 is live')).toBeVisible();
  await page.goBack();
  await page.goForward();
  await page.reload();
  await expect(page.getByText('Revision 1 is live')).toBeVisible();
  await page.getByRole('button', { name: 'Pause', exact: true }).dblclick();
  await expect(page.getByText('Revision 1 is paused')).toBeVisible();
  await page.getByRole('button', { name: 'Resume' }).dblclick();
  await expect(page.getByText('Revision 1 is live')).toBeVisible();
  await page.getByLabel('More', { exact: true }).click();
  await page.getByRole('button', { name: 'Copy this nudge' }).dblclick();
  await expect(page.getByText('This is a copy; rename it')).toBeVisible();
  await page.goto(shop('nudges'));
  expect(await drafts()).toBe(before + 2);
  const copy = page.getByRole('article', { name: /\(copy\)/ });
  await copy.getByLabel(/^More for/).click();
  await copy.getByRole('button', { name: 'Delete this draft' }).dblclick();
  await expect(page.getByText('is deleted.')).toBeVisible();
  expect(await drafts()).toBe(before + 1);
  await page.getByRole('button', { name: 'Undo' }).dblclick();
  await expect(page.getByText('It is back as it was.')).toBeVisible();
  await page.goto(shop('nudges'));
  expect(await drafts()).toBe(before + 2);
  await copy.getByLabel(/^More for/).click();
  await copy.getByRole('button', { name: 'Delete this draft' }).click();
  const mine = page.locator(`#nudge-${id}`);
  await mine.getByLabel(/^More for/).click();
  await mine.getByRole('button', { name: 'End this nudge' }).dblclick();
  await expect(page.getByText('is ended now.')).toBeVisible();
  await mine.getByLabel(/^More for/).click();
  await mine.getByRole('button', { name: 'Put away' }).dblclick();
  await expect(page.getByText('is put away.')).toBeVisible();
  await expect(mine).toHaveCount(0);
  await page.getByRole('link', { name: /put away$/ }).click();
  await mine.getByLabel(/^More for/).click();
  await mine.getByRole('button', { name: 'Back on the board' }).dblclick();
  await expect(page.getByText('is back on the board.')).toBeVisible();
  await mine.getByLabel(/^More for/).click();
  await mine.getByRole('button', { name: 'Put away' }).click();
});

test('two tabs of the same thing: the later one is told, and keeps what was typed', async ({ page, context }) => {
  await signIn(page);
  const other = await context.newPage();
  for (const [path, field, value] of [
    ['shop/settings', /^\s*Town/, 'Haven'],
    ['shop/regions/uk', /^\s*As you call it/, 'Isles'],
  ] as const) {
    await page.goto(shop(path));
    await other.goto(shop(path));
    const was = await page.getByLabel(field).inputValue();
    await page.getByLabel(field).fill(`${was} one`);
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.locator('#flash')).toContainText('saved');
    await other.getByLabel(field).fill(value);
    await other.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(other.getByRole('alert').first()).toContainText('changed in another window');
    await expect(other.getByLabel(field)).toHaveValue(value);
    await other.getByLabel(field).fill(was);
    await other.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(other.locator('#flash')).toContainText('saved');
  }
  // A stale Pause does not wake what has ended.
  await page.goto(shop('nudges'));
  await other.goto(shop('nudges'));
  const row = (p: Page) => p.getByRole('article', { name: 'Harbour code' });
  await row(page)
    .getByLabel(/^More for/)
    .click();
  await row(page).getByRole('button', { name: 'End this nudge' }).click();
  await expect(page.locator('#flash')).toContainText('is ended now');
  await row(other).getByRole('button', { name: 'Pause Harbour code' }).click();
  await expect(other.locator('#flash')).toContainText('is ended by now');
  await expect(row(other)).toContainText('ended, since');
  await other.getByRole('button', { name: 'Resume Harbour code' }).click();
  await expect(other.locator('#flash')).toContainText('is live now');
});

test('signed out in between: nothing is lost, and one comes back to where one was', async ({ page, context }) => {
  await signIn(page);
  await page.goto(shop('nudges/parcels-to-japan'));
  const other = await context.newPage();
  await other.goto(shop('nudges'));
  await page.getByLabel(/^Rename/).click();
  await page.getByLabel('Name, for yourselves').fill('Typed while signed out');
  await other.getByRole('button', { name: 'sign out' }).click();
  await expect(other.getByRole('button', { name: 'Sign in' })).toBeVisible();
  await page.locator('details[open]').getByRole('button', { name: 'Save' }).click();
  await expect(page.locator('#toast')).toContainText('You are signed out. Nothing was changed, and what you typed is still here');
  await whole(page, 'signed out');
  await expect(page.getByLabel('Name, for yourselves')).toHaveValue('Typed while signed out');
  const [again] = await Promise.all([context.waitForEvent('page'), page.getByRole('link', { name: 'sign in in a new tab' }).click()]);
  await again.getByLabel('E-mail').fill('ilse@lindquill.example');
  await again.getByLabel('Password').fill('nine-quiet-harbours');
  await again.getByRole('button', { name: 'Sign in' }).click();
  await expect(again.getByRole('heading', { name: 'Parcels to Japan' })).toBeVisible(); // where one was
  if (!(await page.getByLabel('Name, for yourselves').isVisible())) await page.getByLabel(/^Rename/).click();
  await page.locator('details[open]').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('heading', { name: 'Typed while signed out' })).toBeVisible();
  await page.getByLabel(/^Rename/).click();
  await page.getByLabel('Name, for yourselves').fill('Parcels to Japan');
  await page.locator('details[open]').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('heading', { name: 'Parcels to Japan' })).toBeVisible();

  // The board does not announce an order that was not kept.
  await page.goto(shop('nudges'));
  await other.goto(shop('nudges'));
  await other.getByRole('button', { name: 'sign out' }).click();
  await expect(other.getByRole('button', { name: 'Sign in' })).toBeVisible();
  const names = () => page.locator('#board-list > article').evaluateAll((rows) => rows.map((r) => (r as HTMLElement).dataset.nudge));
  const first = await names();
  await page.locator('#board-list .handle').nth(1).focus();
  await page.keyboard.press('ArrowUp');
  await expect(page.locator('#toast')).toContainText('You are signed out.');
  expect(await names()).toEqual(first);
  // Neither does a plain button; whoever loads the page again comes back to it.
  await page.getByRole('button', { name: /^Pause Winter ladder/ }).click();
  await expect(page.locator('#toast')).toContainText('You are signed out.');
  await page.reload();
  await page.getByLabel('E-mail').fill('ilse@lindquill.example');
  await page.getByLabel('Password').fill('wrong');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByText('do not belong together')).toBeVisible();
  await expect(page.getByLabel('Password')).toBeFocused();
  await page.getByLabel('Password').fill('nine-quiet-harbours');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: /^Pause Winter ladder/ })).toBeVisible();
});

test('a viewer reads everything and finds nothing to press in vain', async ({ page }) => {
  test.setTimeout(120_000);
  await signIn(page, 'vera@lindquill.example');
  for (const path of [
    'nudges',
    'nudges/start',
    'nudges/winter-ladder',
    'nudges/winter-ladder/revisions',
    'shop',
    'shop/regions',
    'shop/regions/home',
    'shop/look',
    'shop/settings',
    'shop/connection',
    'shop/people',
    'rehearsal',
  ]) {
    await page.goto(shop(path));
    await whole(page, path);
    await expect(page.locator('main form[method=post]:not(#look-form, #settings-form, #region-form, #origins-form)'), path).toHaveCount(0);
    await expect(page.getByRole('main').getByRole('button', { name: /^(Save|Publish|Pause|Delete|End|Make|Import|Add a region)/ }), path).toHaveCount(0);
  }
  // What a viewer may do, works: rehearse and look at other carts.
  await choose(page, 'Add a product', 'brine 30', /Brine, 30 ml/);
  await expect(page.getByLabel('Quantity of Brine, 30 ml')).toHaveValue('1');
  await page.goto(shop('nudges/winter-ladder'));
  await choose(page, 'Add a product', 'brine 30', /Brine, 30 ml/);
  await expect(page.getByRole('region', { name: 'The cart beside it' })).toContainText('Brine');
});

// Last of all, since it presses what deletes, too.
for (const [name, url] of Object.entries(pages)) {
  test(`a double click on every button, and a reload: ${name}`, async ({ page }) => {
    test.setTimeout(180_000);
    page.on('dialog', (d) => d.accept());
    if (url.startsWith(lindquill)) await putIn(page, 'oyster-grey', '30 ml');
    else await signIn(page);
    await page.goto(url);
    const n = await page.locator('main button:visible:not(:disabled):not(.sr)').count();
    for (let i = 0; i < n; i++) {
      await page.goto(url);
      const button = page.locator('main button:visible:not(:disabled):not(.sr)').nth(i);
      if (!(await button.count())) break; // an earlier press took it away
      await button.dblclick();
      await whole(page, `button ${i}`);
      await page.reload();
      await whole(page, `reload after button ${i}`);
    }
  });
}

// From nothing: an account with no shop, its own regions and goods, the embed on
// a page of another origin, a first live ladder.
import { expect, test, type Page } from '@playwright/test';
import { agonal, choose, ownPage, tabTo } from './servers';

const goods = [
  'product,title,collections,sku,price EUR,price PLN,stock,weight g',
  ...['Bowl', 'Cup', 'Dish', 'Ewer', 'Flask', 'Goblet', 'Jar', 'Mug', 'Plate', 'Vase'].map(
    (t, i) => `${t.toLowerCase()},${t},Pots,${t.toUpperCase()},${10 + i}.00,${45 + i}.00,20,400`,
  ),
].join('\r\n');

const cart = '{"cart": {"lines": [{"sku": "BOWL", "quantity": 2}], "destination": {"country": "AT"}}}';
const pageWith = (snippet: string) =>
  `<!doctype html><html lang="en"><title>Kade pots</title><h1>Kade pots</h1>${snippet.replace(/\{"cart"[\s\S]*?\}\s*<\/script>/, `${cart}</script>`)}`;

async function join(page: Page, email: string) {
  await page.goto(`${agonal}/account/new`);
  await page.getByLabel('Your name').fill('Jo Kade');
  await page.getByLabel('E-mail').fill(email);
  await page.getByLabel(/^\s*Password/).fill('a-long-password');
  await page.getByRole('button', { name: 'Create account' }).click();
  await expect(page.getByText('You have no shop yet.')).toBeVisible();
}

test('an account with no shop comes to a live ladder on its own page', async ({ page, context }) => {
  test.setTimeout(150_000);
  let html = '';
  const server = await ownPage(18084, () => html);
  try {
    await join(page, 'jo@kade.example');
    await page.getByLabel('Name').fill('Kade pots');
    await page.getByLabel(/^\s*Town/).fill('Linz');
    await page.getByLabel('Time zone').selectOption('Europe/Vienna');
    await page.getByRole('button', { name: 'Make the shop' }).dblclick(); // a hasty hand makes one shop
    await expect(page.getByRole('heading', { name: 'First steps', exact: true })).toBeVisible();
    await expect(page.getByText('0 of 4 done')).toBeVisible();

    // Every page of an empty shop says what it is for and what to do next.
    await page.waitForURL(/\/begin$/);
    const shop = new URL(page.url()).pathname.replace('/begin', '');
    for (const [path, says] of [
      ['/nudges', 'A nudge needs a region first'],
      ['/rehearsal', 'A visit needs a region first'],
      ['/shop', 'The shop has no goods yet'],
      ['/shop/regions', 'Nowhere yet'],
      ['/shop/orders', 'No order yet'],
      ['/shop/connection', 'Nobody yet'],
    ]) {
      await page.goto(agonal + shop + path);
      await expect(page.getByText(says)).toBeVisible();
    }

    // Two regions, three methods.
    await page.goto(`${agonal}${shop}/begin`);
    await page.getByRole('link', { name: 'Set up a region' }).click();
    await page.getByRole('link', { name: 'Add a region' }).click();
    await page.getByLabel(/^\s*As you call it/).fill('Alps');
    await choose(page, 'Countries', 'austr', /^\s*Austria/);
    await choose(page, 'Countries', 'switz', 'Switzerland');
    await page.getByLabel('Standard rate in percent').fill('20');
    await page.getByLabel('Tax rate of shipping in percent').fill('20');
    await page.getByLabel('Name in English').fill('parcel');
    await page.getByLabel('fee', { exact: false }).last().fill('5,90');
    await page.getByRole('button', { name: 'Add a shipping method' }).click();
    await expect(page.getByLabel('Name in English').nth(1)).toBeFocused();
    await page.keyboard.type('courier');
    await page.getByRole('group', { name: 'Shipping method 2' }).getByLabel('fee', { exact: false }).last().fill('12.00');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByText('The region Alps is saved.')).toBeVisible();
    await page.getByRole('link', { name: 'Add a region' }).click();
    await page.getByLabel(/^\s*As you call it/).fill('Poland');
    await choose(page, 'Countries', 'austria');
    await choose(page, 'Countries', 'poland');
    await page.getByLabel('Currency').selectOption('PLN');
    await page.getByLabel('Standard rate in percent').fill('23');
    await page.getByLabel('Tax rate of shipping in percent').fill('23');
    await page.getByLabel('Name in English').fill('paczka');
    await page.getByLabel('fee', { exact: false }).last().fill('19');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByText('Austria is in the region Alps already.')).toBeVisible();
    await page.getByRole('button', { name: 'Remove Austria' }).click();
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await expect(page.getByText('The region Poland is saved.')).toBeVisible();

    // Ten products from a file.
    await page.goto(`${agonal}${shop}/begin`);
    await expect(page.getByText('1 of 4 done')).toBeVisible();
    await page.getByRole('link', { name: 'Import a file' }).click();
    await page.getByLabel(/A CSV file/).setInputFiles({ name: 'pots.csv', mimeType: 'text/csv', buffer: Buffer.from(goods) });
    await page.getByRole('button', { name: 'See what would change' }).click();
    await page.getByRole('button', { name: 'Import 10 new variants' }).click();
    await expect(page.getByText('The file is imported.')).toBeVisible();

    // The snippet, on a plain page of another origin: refused first, and the page says why.
    await page.goto(`${agonal}${shop}/shop/connection`);
    html = pageWith(await page.locator('#snippet').innerText());
    const own = await context.newPage();
    await own.goto('http://127.0.0.1:18084/pots');
    await own.waitForTimeout(500);
    await page.getByRole('link', { name: 'Look again' }).click();
    await expect(page.getByRole('row', { name: /127\.0\.0\.1:18084/ })).toContainText('this origin is not allowed');
    await page.getByLabel(/^\s*Addresses of your shop/).fill('http://127.0.0.1:18084/pots');
    await page.getByRole('button', { name: 'Save origins' }).click();
    await expect(page.getByText('The allowed origins are saved.')).toBeVisible();
    await own.reload();
    await own.waitForTimeout(500);
    await page.getByRole('link', { name: 'Look again' }).click();
    await expect(page.getByRole('row', { name: /answered/ })).toContainText('/pots');

    // A ladder, live; the cart there shows the right sentence.
    await page.goto(`${agonal}${shop}/nudges/start`);
    await page.getByRole('button', { name: 'Begin with: Free shipping from an amount' }).click();
    await page.getByLabel(/^\s*Goal of rung 1/).click();
    await page
      .locator('details[open]')
      .getByLabel(/^\s*Alps/)
      .fill('55,50');
    await page
      .locator('details[open]')
      .getByLabel(/^\s*Poland/)
      .fill('250');
    await page.locator('details[open] .panel').getByRole('button', { name: 'Save' }).click();
    await page.getByRole('button', { name: 'Publish revision 1' }).click();
    await expect(page.getByText('Revision 1 is published. Shoppers see it from now on.')).toBeVisible();
    await own.reload();
    await expect(own.locator('agonal-nudge')).toContainText('Add €35.50 and get free shipping.'); // 55.50 − 2 × 10.00
    await page.goto(`${agonal}${shop}/begin`);
    await expect(page.getByText('Everything is in place.')).toBeVisible();
  } finally {
    server.close();
  }
});

test('the keyboard alone comes from nothing to a live ladder', async ({ page }) => {
  test.setTimeout(150_000);
  const press = async (name: RegExp, key = 'Enter') => {
    await tabTo(page, name, 120);
    await page.keyboard.press(key);
  };
  const type = async (name: RegExp, text: string) => {
    await tabTo(page, name, 120);
    await page.keyboard.press('ControlOrMeta+A');
    await page.keyboard.type(text);
  };
  await page.goto(`${agonal}/sign-in`);
  await press(/^Create an account$/);
  await expect(page.getByRole('heading', { name: 'Create an account' })).toBeVisible();
  await type(/^Your name/, 'Kit Kade');
  await type(/^E-mail/, 'kit@kade.example');
  await type(/^Password/, 'a-long-password');
  await page.keyboard.press('Enter');
  await expect(page.getByText('You have no shop yet.')).toBeVisible();
  await type(/^Name/, 'Kit pots');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'First steps', exact: true })).toBeVisible();
  await press(/^Set up a region$/);
  await expect(page.getByRole('heading', { name: 'Regions' })).toBeVisible();
  await press(/^Add a region$/);
  await expect(page.getByRole('heading', { name: 'A new region' })).toBeVisible();
  await type(/^As you call it/, 'Alps');
  await tabTo(page, /^Countries/, 60);
  await page.keyboard.type('austria');
  await expect(page.getByRole('option', { name: /^\s*Austria/ })).toBeVisible();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Remove Austria' })).toBeVisible();
  await type(/^Standard rate in percent/, '20');
  await type(/^Tax rate of shipping/, '20');
  await type(/^Name in English/, 'parcel');
  await type(/^fee$/, '5.90');
  await page.keyboard.press('Enter');
  await expect(page.getByText('The region Alps is saved.')).toBeVisible();
  await press(/^First steps/);
  await expect(page.getByText('1 of 4 done')).toBeVisible();
  await press(/^Put Lindquill’s goods in to try$/);
  await expect(page.getByText('Lindquill’s goods are in, to try things out.')).toBeVisible();
  await press(/^Nudges$/);
  await expect(page.getByText('No nudge yet.')).toBeVisible();
  await press(/^Begin with: Free shipping from an amount/);
  await expect(page.getByRole('button', { name: 'Publish revision 1' })).toBeVisible();
  await press(/^Goal of rung 1/);
  await page.keyboard.press('ControlOrMeta+A');
  await page.keyboard.type('44');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Goal of rung 1: €44.00')).toBeFocused();
  await page.reload();
  await press(/^Publish revision 1$/);
  await expect(page.getByText('Revision 1 is published.')).toBeVisible();
});

test('people are invited by a link, and an address that was wanted is not forgotten', async ({ page, browser }) => {
  await join(page, 'mara@kade.example');
  await page.getByLabel('Name').fill('Mara pots');
  await page.getByRole('button', { name: 'Make the shop' }).click();
  await page.waitForURL(/\/begin$/);
  const shop = new URL(page.url()).pathname.replace('/begin', '');
  await page.goto(`${agonal}${shop}/shop/people`);
  await page.getByLabel(/^\s*Viewer/).check();
  await page.getByRole('button', { name: 'Make an invite' }).click();
  const link = await page.locator('#invite-link').innerText();
  await page.reload();
  await expect(page.locator('#invite-link')).toHaveCount(0); // shown once

  const guest = await (await browser.newContext()).newPage();
  await guest.goto(link);
  await guest.getByRole('link', { name: 'Create an account' }).click();
  await guest.getByLabel('Your name').fill('Ole Gast');
  await guest.getByLabel('E-mail').fill('ole@kade.example');
  await guest.getByLabel(/^\s*Password/).fill('a-long-password');
  await guest.getByRole('button', { name: 'Create account' }).click();
  await guest.getByRole('button', { name: 'Join as Ole Gast' }).click();
  await expect(guest.getByText('This is the shop you were invited to.')).toBeVisible();
  await guest.goto(link);
  await expect(guest.getByRole('heading', { name: 'This invite is over' })).toBeVisible();

  // The role is changed, then taken away; the last owner cannot leave.
  await page.goto(`${agonal}${shop}/shop/people`);
  await page.getByRole('combobox', { name: 'Role of Ole Gast' }).selectOption('editor');
  await page.getByRole('button', { name: 'Save the role of Ole Gast' }).click();
  await expect(page.getByText('Ole Gast is editor now.')).toBeVisible();
  page.on('dialog', (d) => d.accept());
  await page.getByRole('button', { name: 'Leave the shop' }).click();
  await expect(page.getByText('A shop needs an owner.')).toBeVisible();
  await page.getByRole('button', { name: 'Remove Ole Gast' }).click();
  await expect(page.getByText('Ole Gast has no part in the shop any more.')).toBeVisible();
  await guest.goto(`${agonal}${shop}/nudges`);
  await expect(guest.getByText('There is no such shop')).toBeVisible();

  // One's own password and sessions.
  const second = await (await browser.newContext()).newPage();
  await second.goto(`${agonal}${shop}/shop/settings`);
  await second.getByLabel('E-mail').fill('mara@kade.example');
  await second.getByLabel('Password').fill('a-long-password');
  await second.getByRole('button', { name: 'Sign in' }).click();
  await expect(second.getByRole('heading', { name: 'Settings' })).toBeVisible(); // the page that was wanted
  await page.goto(`${agonal}/account`);
  await page.getByLabel('Present password').fill('a-long-password');
  await page.getByLabel(/^\s*New password/).fill('another-password');
  await page.getByRole('button', { name: 'Change password' }).click();
  await expect(page.getByText('Your password is changed.')).toBeVisible();
  await second.reload();
  await expect(second.getByRole('button', { name: 'Sign in' })).toBeVisible();
  await page.getByRole('button', { name: 'Sign out everywhere else' }).click();
  await expect(page.getByText('Every other window and machine is signed out.')).toBeVisible();
  await page.getByLabel('Your name').fill('Mara K');
  await page.getByRole('button', { name: 'Save name' }).click();
  await expect(page.getByText('Your name is saved.')).toBeVisible();
});

test('keys are made, shown once, replaced and withdrawn', async ({ page, request }) => {
  await join(page, 'keys@kade.example');
  await page.getByLabel('Name').fill('Key pots');
  await page.getByRole('button', { name: 'Make the shop' }).click();
  await page.waitForURL(/\/begin$/);
  const shop = new URL(page.url()).pathname.replace('/begin', '');
  await page.goto(`${agonal}${shop}/shop/connection`);
  await page.getByRole('button', { name: 'Make a key' }).click();
  await expect(page.getByText('Give the key a name')).toBeVisible();
  await page.getByLabel('Who uses it').fill('The till');
  await page.getByLabel('Kind').selectOption('secret');
  await page.getByRole('button', { name: 'Make a key' }).click();
  const key = await page.locator('#made-key').innerText();
  const status = async () => (await request.get(`${agonal}/v1/catalogue`, { headers: { Authorization: `Bearer ${key}` } })).status();
  expect(await status()).toBe(200);
  await page.goto(`${agonal}${shop}/shop/connection`);
  await expect(page.getByText(key)).toHaveCount(0);
  await page.getByLabel('Replace or withdraw The till').click();
  await page.getByRole('button', { name: 'Replace The till' }).click();
  await expect(page.locator('#made-key')).not.toHaveText(key);
  expect(await status()).toBe(401); // at once, as was chosen
  page.on('dialog', (d) => d.accept());
  await page.getByLabel('Replace or withdraw The shop’s pages').click();
  await page.getByRole('button', { name: 'Withdraw The shop’s pages' }).click();
  await expect(page.getByText('is withdrawn; whoever uses it is refused')).toBeVisible();
  const nobody = async () => (await request.get(`${agonal}/v1/catalogue`, { headers: { Authorization: 'Bearer pk_nobody' } })).status();
  expect(await Promise.all(Array.from({ length: 60 }, nobody))).toContain(429);
});

// How nudges look: what is chosen is drawn at once, what cannot be read is refused, and
// shoppers see what was saved.
import { expect, test, type Page } from '@playwright/test';
import { agonal, lindquill, signIn, topBar } from './servers';

const ground = (page: Page) => topBar(page).evaluate((e) => getComputedStyle(e.shadowRoot!.querySelector('.n')!).backgroundColor);
/** Saves, and waits for the answer. */
const save = async (page: Page) => {
  const answer = page.waitForResponse((r) => !!r.request().postData()?.includes('do=save'));
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await answer;
  await page.waitForLoadState();
};

test('a preset, colours of one’s own whose contrast is told, sizes, the dark, and from right to left', async ({ page, context }) => {
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/shop/look`);
  const sample = page.frameLocator('#look-frame');
  const drawn = () =>
    sample
      .locator('agonal-nudge[place=top_bar]')
      .first()
      .evaluate((e) => getComputedStyle(e.shadowRoot!.querySelector('.n')!).backgroundColor);
  await page.getByLabel('Copper').check();
  await expect.poll(drawn).toBe('rgb(90, 42, 27)');
  await page.getByLabel('looked at').selectOption('dark');
  await expect.poll(drawn).toBe('rgb(156, 86, 61)');
  await page.getByLabel('looked at').selectOption('rtl');
  await expect(sample.locator('agonal-nudge[place=top_bar]')).toHaveAttribute('dir', 'rtl');
  await page.getByLabel('looked at').selectOption('twice');
  await expect
    .poll(() =>
      sample
        .locator('agonal-nudge[place=top_bar]')
        .first()
        .evaluate((e) => getComputedStyle(e.shadowRoot!.querySelector('.n')!).fontSize),
    )
    .toBe('28px');
  await page.getByLabel('looked at').selectOption('');

  await page.getByLabel('My own, below').check();
  const light = page.getByRole('group', { name: 'In the light' });
  const words = light.locator('[name="light.text"]');
  await expect(words).toBeEditable();
  await words.fill('#777');
  await words.press('Tab');
  await expect(light).toContainText('Words on the dark ground: 2.63 : 1, and at least 4.5 : 1 are needed.');
  await save(page);
  await expect(page.getByRole('alert')).toContainText('Not saved yet');
  await words.fill('nothing');
  await words.press('Enter');
  await expect(light).toContainText('Write a colour with six digits');
  await words.fill('fff');
  await words.press('Tab');
  await expect(light.getByRole('row', { name: /^Words on the dark ground/ })).toContainText('11.');
  await page.getByLabel('Size of words, in pixels').fill('40');
  await page.getByLabel('Rounded corners, in pixels').fill('12');
  await page.getByLabel('Rounded corners, in pixels').press('Tab');
  await expect(page.getByText('Write a whole number from 12 to 22, or leave it empty.')).toBeVisible();
  await page.getByLabel('Size of words, in pixels').fill('18');
  await page.getByLabel('Dark colours').selectOption('device');
  await save(page);
  await expect(page.getByText('The look is saved')).toBeVisible();
  await page.reload();
  await expect(page.getByLabel('My own, below')).toBeChecked();
  await expect(page.getByLabel('Size of words, in pixels')).toHaveValue('18');

  const shop = await context.newPage();
  await expect(async () => {
    await shop.goto(lindquill);
    await expect.poll(() => ground(shop), { timeout: 2000 }).toBe('rgb(90, 42, 27)');
  }).toPass();
  expect(await topBar(shop).evaluate((e) => getComputedStyle(e.shadowRoot!.querySelector('.n')!).fontSize)).toBe('18px');
  await shop.emulateMedia({ colorScheme: 'dark' });
  await expect.poll(() => ground(shop)).toBe('rgb(156, 86, 61)');

  // Two windows: who saves second is told.
  const other = await context.newPage();
  await other.goto(`${agonal}/s/lindquill/shop/look`);
  await page.getByLabel('Moss').check();
  await save(page);
  await expect(page.getByText('The look is saved')).toBeVisible();
  await other.getByLabel('Slate').check();
  await save(other);
  await expect(other.getByRole('alert')).toContainText('changed in another window');
  await save(other);
  await expect(other.getByText('The look is saved')).toBeVisible();
  await other.getByLabel('Those of the shop’s own styles').check();
  await other.getByLabel('Size of words, in pixels').fill('');
  await other.getByLabel('Rounded corners, in pixels').fill('');
  await save(other);
  await expect(other.getByText('The look is saved')).toBeVisible();
  await expect(async () => {
    await shop.goto(lindquill);
    await expect.poll(() => ground(shop), { timeout: 2000 }).toBe('rgb(28, 53, 87)'); // the shop's own again
  }).toPass();
});

test('the workbench draws twice as large, from right to left, in the dark, and the longest words', async ({ page }) => {
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder`);
  const bar = page.frameLocator('#preview').locator('agonal-nudge[place=top_bar]').first();
  const style = (name: 'fontSize' | 'backgroundColor') => bar.evaluate((e, n) => getComputedStyle(e.shadowRoot!.querySelector('.n')!)[n], name);
  await expect.poll(() => style('fontSize')).toBe('14px');
  const as = page.getByLabel('drawn');
  await as.selectOption('with letters twice as large');
  await expect.poll(() => style('fontSize')).toBe('28px');
  await as.selectOption('from right to left');
  await expect(bar).toHaveAttribute('dir', 'rtl');
  await as.selectOption('in the dark');
  await expect.poll(() => style('backgroundColor')).toBe('rgb(77, 105, 168)');
  await as.selectOption('in the language with the longest words');
  await expect(bar.locator('p').first()).toHaveAttribute('lang', /^(de|pl)$/);
  await as.selectOption('as usual');
  await expect(bar.locator('p').first()).toHaveAttribute('lang', 'en');
});

test('a nudge is taken along as a picture, SVG and PNG', async ({ page }) => {
  await signIn(page);
  await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder`);
  const taken = async (name: string) => {
    await page.getByLabel('More', { exact: true }).click();
    const [file] = await Promise.all([page.waitForEvent('download'), page.getByText(name, { exact: true }).click()]);
    const chunks: Buffer[] = [];
    for await (const chunk of await file.createReadStream()) chunks.push(chunk as Buffer);
    return { name: file.suggestedFilename(), body: Buffer.concat(chunks) };
  };
  const svg = await taken('Its picture as SVG');
  expect(svg.name).toBe('winter-ladder.svg');
  expect(svg.body.toString()).toContain('<title>Add €');
  await page.reload();
  const png = await taken('Its picture as PNG');
  expect(png.name).toBe('winter-ladder.png');
  expect(png.body.subarray(1, 4).toString()).toBe('PNG');
  expect(png.body.readUInt32BE(16)).toBe(1280); // twice as wide as the drawing
  await page.goto(`${agonal}/s/lindquill/nudges/winter-ladder/picture.svg`);
  await expect(page.locator('svg > title')).toHaveText(/^Add €/);
});

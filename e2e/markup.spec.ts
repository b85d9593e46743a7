import { expect, test, type APIResponse, type Page } from '@playwright/test';
import { HtmlValidate } from 'html-validate';
import { agonal, lindquill, putIn, signIn } from './servers';

const validator = new HtmlValidate({
  root: true,
  extends: ['html-validate:recommended', 'html-validate:document'],
  rules: {
    // Rules of style, which Prettier has its own ways for.
    'void-style': 'off',
    'no-trailing-whitespace': 'off',
    'attribute-boolean-style': 'off',
    'doctype-style': 'off',
    'no-raw-characters': 'off',
    'no-implicit-button-type': 'off',
    'no-implicit-input-type': 'off',
    'long-title': 'off',
    // Both sites serve their scripts themselves.
    'require-sri': 'off',
    // Boxes to tick and rows of one kind share a name; lists of a search are no <select>.
    'form-dup-name': 'off',
    'prefer-native-element': 'off',
    'aria-label-misuse': 'off',
  },
});

/** The HTML of a page as it is sent, held against the standard. */
async function valid(what: string, answer: APIResponse) {
  expect.soft(answer.headers()['content-type'], what).toContain('text/html');
  const report = await validator.validateString(await answer.text());
  expect.soft(report.results.flatMap((r) => r.messages.map((m) => `${what}:${m.line} ${m.ruleId}: ${m.message} (${m.selector})`))).toEqual([]);
}

const ofShop = [
  ['nudges', 'nudges/start', 'nudges/winter-ladder', 'nudges/winter-ladder/revisions', 'nudges/winter-ladder/preview', 'nudges/none'],
  [
    'rehearsal?sku=HARBLU-30&code=HARBOUR10&did=close:winter-ladder',
    'rehearsal/kept',
    'shop',
    'shop?q=nothing-of-this',
    'shop/import',
    'shop/regions',
    'shop/regions/home',
    'shop/regions/new',
  ],
  [
    'shop/orders',
    'shop/orders/1001',
    'shop/codes',
    'shop/sales?percent=10&from=2030-12-01T09:00&until=2030-12-05T20:00',
    'shop/connection',
    'shop/people',
    'shop/settings',
    'shop/look',
    'results',
    'results?from=x&to=y',
    'results/winter-ladder',
    'results/none',
    'nudges/winter-ladder/try',
    'begin',
  ],
]
  .flat()
  .map((p) => `/s/lindquill/${p}`);

async function csrf(page: Page) {
  return page.locator('input[name=csrf]').first().inputValue();
}

test("the merchant's pages are valid HTML", async ({ page }) => {
  for (const path of ['/sign-in', '/account/new', '/mail', '/invite/none', '/nowhere']) await valid(path, await page.request.get(agonal + path));
  await signIn(page);
  for (const path of ['/shops', '/account', '/gallery', '/nowhere', ...ofShop]) await valid(path, await page.request.get(agonal + path));
  const form = { csrf: await csrf(page), name: '', currency: 'EUR' };
  await valid('a region that is refused', await page.request.post(`${agonal}/s/lindquill/shop/regions/home`, { form }));
  await valid('a form without its token', await page.request.post(`${agonal}/s/lindquill/shop/settings`, { form: { csrf: 'x' } }));
});

test("the shop's pages are valid HTML", async ({ page }) => {
  await valid('an empty cart', await page.request.get(`${lindquill}/cart`));
  await putIn(page, 'harbour-blue', '30 ml');
  for (const path of ['/', '/collections/Inks', '/products/kittiwake', '/products/kittiwake?cart=open', '/cart', '/checkout', '/products/none', '/nowhere'])
    await valid(path, await page.request.get(lindquill + path));
  await valid('a checkout that is refused', await page.request.post(`${lindquill}/checkout`, { form: { go: 'place' } }));
});

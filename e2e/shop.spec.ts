// The shop as a shopper in a hurry uses it: what is taken out is out, what cannot
// be is said where it was typed, and what was typed stays.
import { expect, test, type Page } from '@playwright/test';
import { lindquill, putIn } from './servers';

const cart = (page: Page) => page.getByRole('main');
const drawer = (page: Page) => page.getByRole('dialog', { name: 'Cart' });
const toPay = (page: Page) => cart(page).getByTestId('to-pay');

test('what is removed is out of the cart and out of the total', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml', 2);
  await putIn(page, 'oyster-grey', '30 ml');
  await drawer(page)
    .getByRole('button', { name: /^Remove:? Oyster Grey/ })
    .click();
  await expect(drawer(page).getByRole('button', { name: /^Remove/ })).toHaveCount(1);
  await expect(drawer(page).getByTestId(/to-pay$/)).toHaveText('€33.90'); // 2 × 14.00 + 5.90
  await page.goto(`${lindquill}/cart`);
  await expect(toPay(page)).toHaveText('€33.90');
  await cart(page)
    .getByRole('button', { name: /^Remove Harbour Blue/ })
    .click();
  await expect(cart(page).getByText('Nothing in it yet.')).toBeVisible();
  await page.goto(`${lindquill}/checkout`);
  await expect(page.getByRole('heading', { name: 'Your cart' })).toBeVisible(); // nothing to pay for
});

test('a quantity in the cart is changed, and 0 takes out', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml', 2);
  await page.goto(`${lindquill}/cart`);
  const quantity = cart(page).getByLabel(/^Quantity of Harbour Blue/);
  await quantity.fill('3');
  await quantity.press('Enter');
  await expect(toPay(page)).toHaveText('€47.90'); // 3 × 14.00 + 5.90
  await quantity.fill('0');
  await quantity.press('Enter');
  await expect(cart(page).getByText('Nothing in it yet.')).toBeVisible();
});

for (const typed of ['-1', '1.5', '10000', '', 'x']) {
  test(`a quantity of “${typed}” is refused where it was typed`, async ({ page }) => {
    await page.goto(`${lindquill}/products/harbour-blue`);
    await page.getByLabel('How many').fill(typed);
    await page.getByRole('button', { name: 'Add to cart' }).click();
    await expect(page.getByText('Write a whole number from 1 to 9999.')).toBeVisible();
    await expect(page.getByLabel('How many')).toHaveValue(typed);
    await expect(page.getByLabel('How many')).toBeFocused();
    await expect(page.getByRole('link', { name: 'Cart, 0' })).toBeVisible();
    await putIn(page, 'harbour-blue', '30 ml', 2);
    await page.goto(`${lindquill}/cart`);
    const quantity = cart(page).getByLabel(/^Quantity of Harbour Blue/);
    await quantity.fill(typed);
    await quantity.press('Enter');
    await expect(cart(page).getByText('Write a whole number from 0 to 9999.')).toBeVisible();
    await expect(quantity).toHaveValue(typed);
    await expect(toPay(page)).toHaveText('€33.90'); // the cart is as it was
    await page.reload();
    await expect(quantity).toHaveValue('2');
  });
}

test('more pieces than a cart holds are refused, and the cart stays', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml', 9999);
  await page.goto(`${lindquill}/products/oyster-grey`);
  await page.getByLabel('How many').fill('2');
  await page.getByRole('button', { name: 'Add to cart' }).click();
  await expect(page.getByText('A cart holds at most 10000 pieces; this would be 10001. Nothing was changed.')).toBeVisible();
  await expect(page.getByRole('link', { name: 'Cart, 9999' })).toBeVisible();
  await page.goto(`${lindquill}/products/harbour-blue`);
  await page.getByRole('radio', { name: /30 ml/ }).check();
  await page.getByRole('button', { name: 'Add to cart' }).click();
  await expect(page.getByText('The cart has 9999 of it already, and holds at most 9999.')).toBeVisible();
});

test('the price follows the variant, and an unknown variant shows the first', async ({ page }) => {
  await page.goto(`${lindquill}/products/harbour-blue`);
  const price = page.locator('#price');
  for (const [option, text] of [
    [/100 ml/, '€32.00'],
    [/4 ml/, '€3.20'],
    [/30 ml/, '€14.00'],
  ] as const) {
    await page.getByRole('radio', { name: option }).check();
    await expect(price).toHaveText(text);
  }
  await page.goto(`${lindquill}/products/harbour-blue?sku=NOPE`);
  await expect(page.getByRole('button', { name: 'Add to cart' })).toBeVisible();
  await expect(page.getByText('Sold out')).toHaveCount(0);
});

test('a reload shows the page again, not the drawer', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml');
  await page.reload();
  await expect(page.getByRole('heading', { name: 'Harbour Blue' })).toBeVisible();
  await expect(drawer(page)).toBeHidden();
  await page.getByRole('link', { name: 'Cart, 1' }).click();
  await expect(drawer(page)).toBeVisible();
  await drawer(page).getByRole('button', { name: 'Close' }).click();
  await expect(drawer(page)).toBeHidden();
  await page.getByRole('link', { name: 'Cart, 1' }).click();
  await page.getByRole('link', { name: 'See the cart' }).click();
  await expect(page.getByRole('heading', { name: 'Your cart' })).toBeVisible();
});

test('the address outlasts another country, another method, errors, and a way back', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml');
  await page.goto(`${lindquill}/checkout`);
  const address = { Name: 'Ilka Brandt', 'Street and number': 'Ufer 1', Postcode: '26723', Town: 'Vessmark' };
  const typed = async () => {
    for (const [label, text] of Object.entries(address)) await expect(cart(page).getByLabel(label)).toHaveValue(text);
  };
  for (const [label, text] of Object.entries(address)) await cart(page).getByLabel(label).fill(text);
  const pay = page.getByRole('button', { name: /^Pay / });
  await expect(pay).toHaveText('Pay €19.90');
  await page.getByRole('radio', { name: /^Express/ }).check();
  await expect(pay).toHaveText('Pay €26.90'); // express is 12.90
  await expect(page.getByRole('radio', { name: /^Express/ })).toBeFocused();
  await typed();
  await page.getByLabel('Country').focus();
  await page.getByLabel('Country').selectOption('France');
  await expect(pay).not.toHaveText('Pay €26.90');
  await expect(page.getByLabel('Country')).toHaveValue('FR');
  await expect(page.getByLabel('Country')).toBeFocused();
  await typed();
  await page.getByLabel('Town').fill('');
  await pay.click();
  await expect(page.getByText('A town is needed.')).toBeVisible();
  await expect(page.getByLabel('Town')).toBeFocused();
  await expect(page.getByLabel('Name')).toHaveValue('Ilka Brandt');
  await page.getByLabel('Town').fill('Vessmark');
  await page.goBack();
  await expect(page.getByRole('heading', { name: 'Harbour Blue' })).toBeVisible();
  await page.goForward();
  await expect(page.getByRole('heading', { name: 'Checkout' })).toBeVisible();
  await typed();
  // The label stands beside its radio.
  const [radio, label] = [
    await page.getByRole('radio', { name: 'A card that is approved' }).boundingBox(),
    await page.getByText('A card that is approved').boundingBox(),
  ];
  expect(label!.x - radio!.x - radio!.width).toBeLessThan(16);
  // A second press orders nothing twice.
  await pay.dblclick();
  await expect(page.getByRole('heading', { name: 'Thank you, Ilka Brandt.' })).toBeVisible();
  await page.goBack();
  await page.goForward();
  await expect(page.getByRole('heading', { name: 'Thank you, Ilka Brandt.' })).toBeVisible();
  await expect(page.getByRole('link', { name: 'Cart, 0' })).toBeVisible();
  await page.getByRole('link', { name: 'Back to the shop' }).click();
  await expect(page.getByRole('heading', { name: 'On the counter' })).toBeVisible();
});

test('a code says what came of it, and is taken back', async ({ page }) => {
  await putIn(page, 'harbour-blue', '30 ml', 2);
  await page.goto(`${lindquill}/cart`);
  const apply = cart(page).getByRole('button', { name: 'Apply' });
  await apply.click();
  await expect(page.getByText('Write a code first.')).toBeVisible();
  await page.getByLabel('Code, if you have one').fill('NOTHING');
  await apply.click();
  await expect(cart(page).getByText('NOTHING is not a code of ours.')).toBeVisible();
  await page.getByLabel('Code, if you have one').fill('HARBOUR10');
  await apply.click();
  await expect(cart(page).getByText('HARBOUR10 is used.')).toBeVisible();
  await expect(toPay(page)).toHaveText('€31.10'); // 28.00 less 2.80, and 5.90
  await page.getByLabel('Code, if you have one').fill('');
  await apply.click();
  await expect(page.getByText('No code is used any more.')).toBeVisible();
  await expect(toPay(page)).toHaveText('€33.90');
});

test.describe('in German', () => {
  test.use({ locale: 'de-DE' });
  // Amounts have a narrow space before the sign.
  const amount = (text: string) => new RegExp(`^${text.replace(',', '\\,')}\\s€$`);

  test('a shopper who reads German is spoken to in it, from the counter to a placed order', async ({ page }) => {
    await page.goto(lindquill);
    await expect(page.locator('html')).toHaveAttribute('lang', 'de');
    await page.getByRole('navigation', { name: 'Regale' }).getByRole('link', { name: 'Tinten' }).click();
    await page.getByRole('link', { name: /^Harbour Blue/ }).click();
    await page.getByText('30 ml', { exact: false }).first().click();
    await page.getByLabel('Wie viele').fill('zwei');
    await page.getByRole('button', { name: 'In den Warenkorb' }).click();
    await expect(page.getByText('Schreiben Sie eine ganze Zahl von 1 bis 9999.')).toBeVisible();
    await page.getByText('30 ml', { exact: false }).first().click();
    await page.getByLabel('Wie viele').fill('2');
    await page.getByRole('button', { name: 'In den Warenkorb' }).click();
    const drawer = page.getByRole('dialog', { name: 'Warenkorb' });
    await expect(drawer.getByTestId(/to-pay$/)).toHaveText(amount('33,90')); // 2 × 14.00 + 5.90
    await expect(drawer).toContainText('Standardversand');
    await drawer.getByRole('link', { name: 'Zur Kasse' }).click();
    await page.getByRole('button', { name: /zahlen$/ }).click();
    await expect(page.getByText('Die Postleitzahl fehlt.')).toBeVisible();
    const main = page.getByRole('main');
    for (const [label, text] of Object.entries({ Name: 'Arne Kolk', 'Straße und Hausnummer': 'Ufer 1', Postleitzahl: '26723', Ort: 'Vessmark' }))
      await main.getByRole('textbox', { name: new RegExp(`^${label}`) }).fill(text);
    await main.getByLabel('Eine Karte, die abgelehnt wird').check();
    await page.getByRole('button', { name: /^33,90\s€ zahlen$/ }).click();
    await expect(page.getByText('Die Karte wurde abgelehnt. Es wurde nichts abgebucht; versuchen Sie eine andere.')).toBeVisible();
    await main.getByLabel('Eine Karte, die angenommen wird').check();
    await page.getByRole('button', { name: /^33,90\s€ zahlen$/ }).click();
    await expect(page.getByRole('heading', { name: 'Danke, Arne Kolk.' })).toBeVisible();
    await expect(page.getByText(/Abgebucht haben wir 33,90\s€/)).toBeVisible();
  });

  test('the language is changed where one is, and stays so', async ({ page }) => {
    await page.goto(`${lindquill}/collections/Paper`);
    await expect(page.getByRole('heading', { level: 1, name: 'Papier' })).toBeVisible();
    await page.getByRole('button', { name: 'English' }).click();
    await expect(page.getByRole('heading', { level: 1, name: 'Paper' })).toBeVisible();
    await page.goto(`${lindquill}/account`);
    await expect(page.getByRole('heading', { level: 1, name: 'Your account' })).toBeVisible();
    await page.getByRole('button', { name: 'Deutsch' }).click();
    await expect(page.getByRole('heading', { level: 1, name: 'Ihr Konto' })).toBeVisible();
    await page.getByRole('button', { name: /^Mio Hara/ }).click();
    await expect(page.getByText('Sie sind jetzt Mio Hara.')).toBeVisible();
    await page.goto(`${lindquill}/nowhere`);
    await expect(page.getByRole('heading', { level: 1, name: 'Nicht in unseren Regalen.' })).toBeVisible();
  });
});

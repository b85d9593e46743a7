// Nudges are taken along as a file and brought in again, and their times as a calendar.
import { expect, test } from '@playwright/test';
import ICAL from 'ical.js';
import { agonal, signIn } from './servers';

const shop = (path: string) => `${agonal}/s/lindquill/${path}`;

interface Filed {
  version: number;
  nudges: { id: string; definition: { name: string; ladder: { rungs: { rewards: object[] }[] } } }[];
}

test('nudges go out as JSON, and come in as drafts once it was seen what changes', async ({ page }) => {
  await signIn(page);
  await page.getByRole('link', { name: 'Nudges as a file' }).click();
  await expect(page.getByRole('heading', { level: 1, name: 'Nudges as a file' })).toBeVisible();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: /nudges as JSON/ }).click()]);
  expect(download.suggestedFilename()).toBe('lindquill-nudges.json');
  const text = await (await page.request.get(shop('nudge-file/nudges.json'))).text();
  const file = JSON.parse(text) as Filed;
  const bring = async (what: string | Filed, name = 'nudges.json') => {
    await page.goto(shop('nudge-file'));
    await page
      .getByLabel('A JSON file of nudges')
      .setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(typeof what === 'string' ? what : JSON.stringify(what)) });
    await page.getByRole('button', { name: 'See what would change' }).click();
  };
  const keep = page.getByRole('button', { name: 'Bring them in as drafts' });

  // As it went out, it changes nothing.
  await bring(text);
  await expect(page.getByText('0 new drafts, 0 changed drafts.')).toBeVisible();
  await expect(keep).toHaveCount(0);
  // What cannot be read is said by nudge and field.
  await page.goto(shop('nudge-file'));
  await page.getByRole('button', { name: 'See what would change' }).click();
  await expect(page.getByRole('alert')).toContainText('Choose a JSON file first.');
  await bring(text.replace('"free_shipping"', '"free_lunch"'), 'broken.json');
  await expect(page.getByRole('alert')).toContainText(/broken\.json, nudges\[\d+\]\.definition\.ladder\.rungs\[\d\]/);
  await bring('<html>');
  await expect(page.getByRole('alert')).toContainText('Nothing was brought in.');

  // One changed, one new: seen first, then kept, twice pressed once.
  const bottle = file.nudges.find((n) => n.id === 'a-bottle-instead')!;
  const changed = { ...bottle, definition: { ...bottle.definition, name: 'A bottle in its place' } };
  const added = { ...bottle, id: 'from-elsewhere', definition: { ...bottle.definition, name: 'From elsewhere' } };
  await bring({ version: 1, nudges: [changed, added] });
  await expect(page.getByText('1 new draft, 1 changed draft.')).toBeVisible();
  await expect(page.getByRole('region', { name: 'What changes in A bottle in its place' })).toContainText('A bottle instead');
  await page.getByRole('link', { name: 'Leave it' }).click();
  await page.goto(shop('nudges'));
  await expect(page.getByRole('link', { name: 'From elsewhere', exact: true })).toHaveCount(0);
  await bring({ version: 1, nudges: [changed, added] });
  await keep.dblclick();
  await expect(page.getByText('Brought in: 1 new draft, 1 changed draft. Nothing is published by it.')).toBeVisible();
  await expect(page.getByRole('link', { name: 'From elsewhere', exact: true })).toHaveCount(1);
  await expect(page.getByRole('link', { name: 'A bottle in its place', exact: true })).toHaveCount(1);
  // All as new ones: another beside it.
  await page.goto(shop('nudge-file'));
  await page.getByLabel('All come as new ones beside it').check();
  await page
    .getByLabel('A JSON file of nudges')
    .setInputFiles({ name: 'one.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify({ version: 1, nudges: [added] })) });
  await page.getByRole('button', { name: 'See what would change' }).click();
  await expect(page.getByRole('article', { name: 'From elsewhere' })).toContainText('A new draft.');
  // Between looking and keeping somebody else changes what it is about: it is looked at again.
  await bring({ version: 1, nudges: [{ ...changed, definition: { ...changed.definition, name: 'Once more' } }] });
  const other = await page.context().newPage();
  await other.goto(shop('nudges/a-bottle-instead'));
  await other.getByLabel(/^Rename: /).click();
  await other.getByLabel('Name, for yourselves').fill('A bottle instead');
  await other.keyboard.press('Enter');
  await expect(other.getByRole('heading', { name: 'A bottle instead', exact: true })).toBeVisible();
  await keep.click();
  await expect(page.getByRole('alert')).toContainText('The nudges have changed since this was looked at.');
  await keep.click();
  await expect(page.getByText('Brought in: 0 new drafts, 1 changed draft.')).toBeVisible();
  await bring({ version: 1, nudges: [bottle] });
  await keep.click();

  // As it was: what came from elsewhere is deleted.
  const row = page.getByRole('article', { name: 'From elsewhere' });
  await row.getByLabel(/^More for/).click();
  await row.getByRole('button', { name: 'Delete this draft' }).click();
  await expect(row).toHaveCount(0);
});

test('when nudges run is a calendar that another program reads', async ({ page }) => {
  await signIn(page);
  const answer = await page.request.get(shop('nudge-file/nudges.ics'));
  expect(answer.headers()['content-type']).toContain('text/calendar');
  const calendar = new ICAL.Component(ICAL.parse(await answer.text()) as unknown[]);
  const events = calendar.getAllSubcomponents('vevent').map((e) => new ICAL.Event(e));
  const weekend = events.find((e) => e.summary === 'Samplers for the weekend')!;
  // From eight in the morning, by the demo's clock, for three days.
  expect(weekend.endDate.toUnixTime() - weekend.startDate.toUnixTime()).toBe(3 * 24 * 3600);
  expect(weekend.description).toContain('Samplers');
  const winter = events.find((e) => e.summary === 'Winter ladder')!;
  expect(winter.description).toContain('It has no end.');
  expect(winter.startDate.toJSDate().getTime()).toBeLessThanOrEqual(Date.now());
  expect(new Set(events.map((e) => e.uid)).size).toBe(events.length);
});

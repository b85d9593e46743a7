// What every page is held against: axe finds nothing, and nothing is wider than the window.
import axe from 'axe-core';
import { expect, type Page } from '@playwright/test';

const openPanel = 'details[open] > .panel';

/**
 * What axe finds on a page; where a panel is open and lies over it, in that. What a page is
 * made of is the same in other colours and widths: there only what those change is looked at.
 */
export async function clean(page: Page, what: string, again = false) {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe.source); // once a page
  const found = await page.evaluate(
    ([panel, runOnly]) => {
      const { axe } = window as unknown as { axe: { run(on: unknown, how: object): Promise<Found> } };
      interface Found {
        violations: { id: string; nodes: { target: string[] }[] }[];
      }
      const within = document.querySelector(panel as string) ?? document;
      return axe
        .run(within, { resultTypes: ['violations'], runOnly })
        .then(({ violations }) => violations.map((v) => `${v.id} ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`));
    },
    [
      openPanel,
      again
        ? { type: 'rule', values: ['color-contrast', 'target-size', 'scrollable-region-focusable'] }
        : { type: 'tag', values: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] },
    ],
  );
  expect.soft(found.map((v) => `${what}: ${v}`)).toEqual([]);
}

/** What is wider than the window, and no part of something that scrolls by itself. */
export async function fits(page: Page, what: string) {
  const wide = await page.evaluate(() =>
    [...document.querySelectorAll('body *')]
      .filter((e) => {
        if (!e.checkVisibility({ visibilityProperty: true }) || e.getBoundingClientRect().right <= innerWidth + 1) return false;
        for (let p: Element | null = e; p; p = p.parentElement) {
          const o = getComputedStyle(p);
          if (p !== e && /auto|scroll|hidden|clip/.test(o.overflowX)) return false;
          if (o.clip !== 'auto' || o.clipPath !== 'none') return false; // for screen readers alone
        }
        return true;
      })
      .map(
        (e) => `${e.tagName.toLowerCase()}.${e.getAttribute('class')} ${Math.round(e.getBoundingClientRect().right)}: ${e.textContent?.trim().slice(0, 30)}`,
      ),
  );
  expect.soft(wide.slice(0, 3), `${what}: wider than the window`).toEqual([]);
}

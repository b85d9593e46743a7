// What the merchant's pages need beyond HTML and htmx: the workbench's marker,
// preview and cart, the order of the board, and panels that close.
import { bench } from './bench';
import { board } from './board';

// A panel closes when one leaves it, by Escape or by going elsewhere.
document.addEventListener('keydown', (e) => {
  if (e.key !== 'Escape') return;
  const open = document.querySelector<HTMLDetailsElement>('details.part[open], details.menu[open]');
  if (!open) return;
  open.open = false;
  open.querySelector('summary')?.focus();
});
document.addEventListener('pointerdown', (e) => {
  document.querySelectorAll<HTMLDetailsElement>('details.part[open], details.menu[open]').forEach((d) => {
    if (!d.contains(e.target as Node)) d.open = false;
  });
});
// Opening a panel puts the caret into its first field and keeps it on screen.
document.addEventListener(
  'toggle',
  (e) => {
    const d = e.target as HTMLDetailsElement;
    if (!(d instanceof HTMLDetailsElement) || !d.open) return;
    const panel = d.querySelector<HTMLElement>('.panel');
    if (!panel) return;
    panel.style.translate = '';
    const box = panel.getBoundingClientRect();
    const beyond = box.right - document.documentElement.clientWidth + 12;
    if (beyond > 0 && getComputedStyle(panel).position === 'absolute') panel.style.translate = `${-beyond}px 0`;
    const first = panel.querySelector<HTMLInputElement>('input:not([type=hidden]), select, textarea');
    first?.focus();
    if (first instanceof HTMLInputElement && first.type === 'text') first.select();
  },
  true,
);

// Answers with a status of 4xx carry the page with the error in place: swap them.
document.addEventListener('htmx:beforeSwap', (e) => {
  const d = (e as CustomEvent).detail;
  // What comes in may be open itself; the one it replaces must not close it.
  document.querySelectorAll('details.part[open]').forEach((p) => p.removeAttribute('name'));
  if (d.xhr.status === 409 || d.xhr.status === 422) {
    d.shouldSwap = true;
    d.isError = false;
  }
});
// Afterwards the focus is where it was: on the part that was changed.
let changed = -1;
const parts = () => [...document.querySelectorAll<HTMLDetailsElement>('#bench-left details.part')];
document.addEventListener('htmx:beforeRequest', (e) => {
  const from = (e.target as HTMLElement).closest<HTMLDetailsElement>('details.part');
  changed = from ? parts().indexOf(from) : -1;
});
document.addEventListener('htmx:afterSettle', () => {
  const part = parts()[changed];
  if (part && !part.open) part.querySelector('summary')?.focus();
  changed = -1;
});
const say = (text: string) => {
  const t = document.getElementById('toast');
  if (t) t.textContent = text;
};
document.addEventListener('htmx:sendError', () => say('Agonal does not answer. Nothing was changed; try again.'));
document.addEventListener('htmx:responseError', () => say('That did not work. Nothing was changed; load the page again.'));
document.addEventListener('htmx:afterOnLoad', () => say(''));

bench();
board();

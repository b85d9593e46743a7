// Lindquill's own few lines: the cart drawer opens and closes, a quantity that is
// changed is sent, a form is sent once, and the price follows the variant.
import { focusChoices, keepFocus, restoreFocus } from './forms';

focusChoices();

// A select is sent a moment after the last change: who types a country's name is not cut short.
let sending = 0;
document.addEventListener('change', (e) => {
  const el = e.target as HTMLInputElement;
  if (!el.matches('[data-send]')) return;
  clearTimeout(sending);
  if (el.matches('select')) sending = window.setTimeout(() => el.form?.requestSubmit(), 350);
  else el.form?.requestSubmit();
});
document.addEventListener('change', (e) => {
  const el = e.target as HTMLInputElement;
  if (!el.matches('#add [name=sku]')) return;
  document.getElementById('price')!.textContent = el.dataset.price ?? '';
  const was = document.getElementById('was')!;
  was.textContent = el.dataset.was ?? '';
  was.hidden = !el.dataset.was;
});
document.addEventListener('submit', (e) => {
  const form = e.target as HTMLFormElement;
  if (form.dataset.once === undefined) return;
  if (form.dataset.sent) {
    e.preventDefault();
    return;
  }
  form.dataset.sent = '1';
  form.querySelectorAll('button').forEach((b) => b.setAttribute('aria-disabled', 'true'));
});
addEventListener('pageshow', (e) => {
  if (e.persisted) location.reload(); // the cart may have changed since
});
const drawer = document.querySelector<HTMLDialogElement>('dialog#cart');
document.querySelectorAll<HTMLAnchorElement>('a[data-cart]').forEach((a) =>
  a.addEventListener('click', (e) => {
    if (!drawer) return;
    e.preventDefault();
    drawer.showModal();
  }),
);
if (drawer?.dataset.open !== undefined) {
  drawer.showModal();
  // A reload shows the page, not the drawer again.
  const u = new URL(location.href);
  u.searchParams.delete('cart');
  history.replaceState(history.state, '', u);
}
drawer?.addEventListener('click', (e) => {
  if (e.target === drawer) drawer.close();
});
keepFocus();
restoreFocus();

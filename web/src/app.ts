// What the merchant's pages need beyond HTML and htmx: the workbench's marker,
// preview and cart, the order of the board, pickers, panels that close, and a
// word about everything that went wrong.
import { bench } from './bench';
import { priceLine } from './sales';
import { board } from './board';
import { look } from './look';
import { adoptForms, focusChoices, forgetFocus, guardTyped, keepFocus, keepTyped, onceOnly, restoreFocus } from './forms';
import { pickers, type Picked } from './picker';

const panels = 'details.part[open], details.menu[open]';
const shut = (d: HTMLDetailsElement) => {
  d.open = false;
};

// A panel closes when one leaves it: by Escape, by going elsewhere, or by Tab.
document.addEventListener('keydown', (e) => {
  if (e.key !== 'Escape') return;
  const open = document.querySelector<HTMLDetailsElement>(panels);
  if (!open) return;
  shut(open);
  open.querySelector('summary')?.focus();
});
document.addEventListener('pointerdown', (e) => {
  document.querySelectorAll<HTMLDetailsElement>(panels).forEach((d) => {
    if (!d.contains(e.target as Node)) shut(d);
  });
});
document.addEventListener('focusin', (e) => {
  document.querySelectorAll<HTMLDetailsElement>(panels).forEach((d) => {
    if (!d.contains(e.target as Node)) shut(d);
  });
});
document.addEventListener('click', (e) => {
  const t = e.target as Element;
  if (t.closest('[data-cancel]')) {
    const d = t.closest<HTMLDetailsElement>('details');
    t.closest('form')?.reset();
    if (d) {
      shut(d);
      d.querySelector('summary')?.focus();
    }
  }
  const opens = t.closest<HTMLElement>('[data-open]');
  const part = opens && document.getElementById(opens.dataset.open!);
  if (part instanceof HTMLDetailsElement) {
    e.preventDefault();
    part.open = true;
    part.scrollIntoView({ block: 'nearest' });
  }
  const on = t.closest<HTMLElement>('[data-focus-on]');
  if (on) document.getElementById(on.dataset.focusOn!)?.focus();
  const copies = t.closest<HTMLElement>('[data-copy]');
  if (copies) void copy(copies);
  const png = t.closest<HTMLElement>('[data-png]');
  if (png) void takePNG(png);
  const slot = t.closest<HTMLElement>('[data-slot]');
  if (slot) putSlot(slot);
  const drop = t.closest<HTMLElement>('[data-drop]');
  if (drop) {
    const q = document.getElementById(`qty-${drop.dataset.drop}`) as HTMLInputElement;
    q.value = '0';
    q.dispatchEvent(new Event('change', { bubbles: true }));
  }
});

/** A drawing is painted at twice its size, and taken along. */
const takePNG = async (button: HTMLElement) => {
  const drawing = new Image();
  drawing.src = button.dataset.png!;
  try {
    await drawing.decode();
  } catch {
    return say('This nudge says nothing here that could be drawn.');
  }
  const canvas = Object.assign(document.createElement('canvas'), { width: 2 * drawing.naturalWidth, height: 2 * drawing.naturalHeight });
  canvas.getContext('2d')!.drawImage(drawing, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((blob) => {
    const a = Object.assign(document.createElement('a'), { href: URL.createObjectURL(blob!), download: `${button.dataset.name}.png` });
    a.click();
    setTimeout(() => URL.revokeObjectURL(a.href), 10_000);
  }, 'image/png');
};

const copy = async (button: HTMLElement) => {
  const source = document.getElementById(button.dataset.copy!)!;
  try {
    await navigator.clipboard.writeText(source.textContent ?? '');
    say('Copied.');
  } catch {
    getSelection()?.selectAllChildren(source);
    say('Copying is not allowed here; the text is selected, press Ctrl+C.');
  }
};

// A placeholder goes where the caret stands.
const putSlot = (button: HTMLElement) => {
  const text = button.closest('form')?.querySelector('textarea');
  if (!text) return;
  text.setRangeText(`{${button.dataset.slot}}`, text.selectionStart, text.selectionEnd, 'end');
  text.focus();
};

// Opening a panel puts the caret into its first field and keeps it on screen.
document.addEventListener(
  'toggle',
  (e) => {
    const d = e.target as HTMLDetailsElement;
    if (!(d instanceof HTMLDetailsElement) || !d.open || !d.matches('.part, .menu')) return;
    const panel = d.querySelector<HTMLElement>('.panel');
    if (!panel) return;
    panel.style.translate = '';
    const box = panel.getBoundingClientRect();
    const beyond = box.right - document.documentElement.clientWidth + 12;
    if (beyond > 0 && getComputedStyle(panel).position === 'absolute') panel.style.translate = `${-beyond}px 0`;
    if (d.contains(document.activeElement) && document.activeElement?.closest('.panel')) return;
    const first = panel.querySelector<HTMLElement>('[aria-invalid]') ?? panel.querySelector<HTMLElement>('input:not([type=hidden]), select, textarea');
    first?.focus();
    if (first instanceof HTMLInputElement && first.type === 'text') first.select();
  },
  true,
);

const say = (text: string) => {
  const t = document.getElementById('toast');
  if (t) t.textContent = text;
};

// What was refused says so where one is; what was typed stays.
const refused = (status: number) => {
  switch (status) {
    case 401: {
      say('');
      const a = document.createElement('a');
      a.href = `/sign-in?next=${encodeURIComponent(location.pathname + location.search)}`;
      a.target = '_blank';
      a.textContent = 'sign in in a new tab';
      document.getElementById('toast')?.append('You are signed out. Nothing was changed, and what you typed is still here: ', a, ', then do it again.');
      return;
    }
    case 403:
      return say('You may look at this shop, but not change it, or this page was open for too long. Nothing was changed; load the page again.');
    case 404:
      return say('This is not here any more. Nothing was changed; load the page again.');
    case 413:
      return say('This is larger than 32 MB, the most that can be brought in at once. Nothing was changed; split the file by product.');
    case 503:
      return say('The database does not answer. Nothing was changed; try again in a moment.');
  }
  say('That did not work. Nothing was changed; try again, or load the page again.');
};
document.addEventListener('agonal:refused', (e) => refused((e as CustomEvent).detail));
document.addEventListener('htmx:beforeRequest', () => say(''));
document.addEventListener('htmx:sendError', () => say('Agonal does not answer. Nothing was changed; try again.'));
document.addEventListener('htmx:timeout', () => say('Agonal does not answer. Look whether it was done, then try again.'));
document.addEventListener('htmx:responseError', (e) => refused((e as CustomEvent).detail.xhr.status));
document.body.addEventListener('agonal:say', (e) => say((e as CustomEvent).detail.value));

// These answers carry the page with the error in place: swap them.
const carriesPage = [409, 422, 429];
document.addEventListener('htmx:beforeSwap', (e) => {
  const d = (e as CustomEvent).detail;
  if (carriesPage.includes(d.xhr.status)) {
    d.shouldSwap = true;
    d.isError = false;
  }
});

// Afterwards the focus is where it was, on what was just made, or on what is wrong.
let from = '';
let asked = '';
document.addEventListener('htmx:beforeRequest', (e) => {
  const el = e.target as HTMLElement;
  from = el.closest('details.part')?.id ?? '';
  asked = (document.activeElement as HTMLElement)?.id ?? '';
});
document.body.addEventListener('agonal:focus', (e) => {
  document.querySelector<HTMLElement>(`#part-${CSS.escape((e as CustomEvent).detail.value)} > summary`)?.focus();
});
document.addEventListener('htmx:afterSettle', (e) => {
  // Only what was swapped says where to go on: a drawing within a form moves nothing.
  const swapped = e.target as HTMLElement;
  const form = swapped.matches?.('[data-focus]') ? swapped : swapped.querySelector?.<HTMLElement>('[data-focus]');
  const wanted = form?.dataset.focus;
  const focused = document.activeElement && document.activeElement !== document.body;
  const at =
    (wanted && form?.querySelector<HTMLElement>(`[name="${CSS.escape(wanted)}"], [value="${CSS.escape(wanted)}"]`)) ||
    document.querySelector<HTMLElement>('[data-focus-me]') ||
    document.querySelector<HTMLElement>('details.part[open] [aria-invalid]') ||
    document.querySelector<HTMLElement>('details.part[open] > .panel :is(input:not([type=hidden]), select, textarea)') || // a change opened it
    (from && document.querySelector<HTMLElement>(`#${CSS.escape(from)}[open] [aria-invalid], #${CSS.escape(from)}:not([open]) > summary`)) ||
    (!focused && asked && document.getElementById(asked)) ||
    null;
  at?.focus();
  from = '';
  if (!at && swapped.id === 'main') restoreFocus();
  else forgetFocus();
});

// A product that is picked for the rehearsal goes into the form's own field.
document.addEventListener(
  'pick',
  (e) => {
    const put = document.querySelector<HTMLInputElement>('#visit-picked');
    if (!put || !(e.target as Element).closest('#visit')) return;
    put.value = ((e as CustomEvent).detail as Picked).value;
    put.disabled = false;
  },
  true,
);

adoptForms();
document.addEventListener('htmx:load', (e) => adoptForms(e.target as Element));
onceOnly();
guardTyped();
keepTyped();
keepFocus();
focusChoices();
pickers();
bench(say);
look();
priceLine();
board(say);
restoreFocus();

// An address may lead to a part of the workbench: it is open then.
const part = location.hash.startsWith('#part-') && document.getElementById(location.hash.slice(1));
if (part instanceof HTMLDetailsElement) {
  part.open = true;
  part.querySelector('summary')?.focus();
}

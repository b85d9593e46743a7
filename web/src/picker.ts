// A search field with results: the combobox pattern of the ARIA practices. Where
// many may be chosen they stand below it as tokens, each with a hidden input;
// else choosing one sends the event "pick".
const open = new WeakMap<HTMLElement, AbortController>();

export interface Picked {
  value: string;
  name: string;
}

const field = (p: HTMLElement) => p.querySelector<HTMLInputElement>('[role=combobox]')!;
const results = (p: HTMLElement) => p.querySelector<HTMLElement>('[role=listbox]')!;
const options = (p: HTMLElement) => [...results(p).querySelectorAll<HTMLElement>('[role=option]')];

const say = (p: HTMLElement, text: string) => {
  p.querySelector('[role=status]')!.textContent = text;
};

const close = (p: HTMLElement) => {
  open.get(p)?.abort();
  results(p).hidden = true;
  field(p).setAttribute('aria-expanded', 'false');
  field(p).removeAttribute('aria-activedescendant');
};

const activate = (p: HTMLElement, option?: HTMLElement) => {
  for (const o of options(p)) o.setAttribute('aria-selected', String(o === option));
  if (!option) return field(p).removeAttribute('aria-activedescendant');
  field(p).setAttribute('aria-activedescendant', option.id);
  option.scrollIntoView({ block: 'nearest' });
};

const active = (p: HTMLElement) => options(p).find((o) => o.getAttribute('aria-selected') === 'true');

const search = async (p: HTMLElement) => {
  open.get(p)?.abort();
  const stop = new AbortController();
  open.set(p, stop);
  const u = new URL(p.dataset.url!, location.href);
  u.searchParams.set('q', field(p).value);
  u.searchParams.set('id', results(p).id);
  const region = document.querySelector<HTMLSelectElement>('select[name=region]');
  if (region) u.searchParams.set('region', region.value);
  try {
    const r = await fetch(u, { signal: stop.signal, headers: { 'HX-Request': 'true' } });
    if (!r.ok) {
      document.dispatchEvent(new CustomEvent('agonal:refused', { detail: r.status }));
      return;
    }
    results(p).innerHTML = await r.text();
    results(p).hidden = false;
    field(p).setAttribute('aria-expanded', 'true');
    const n = options(p).length;
    say(p, n === 0 ? 'Nothing fits.' : `${n} results.`);
  } catch {
    /* a later search took its place */
  }
};

const choose = (p: HTMLElement, option: HTMLElement) => {
  if (option.getAttribute('aria-disabled') === 'true') return;
  const picked: Picked = { value: option.dataset.value!, name: option.dataset.name! };
  close(p);
  field(p).value = '';
  if (p.dataset.many !== undefined) addToken(p, picked);
  else {
    say(p, `${picked.name} added.`);
    p.dispatchEvent(new CustomEvent('pick', { bubbles: true, detail: picked }));
  }
  field(p).focus();
};

const addToken = (p: HTMLElement, t: Picked) => {
  const list = p.querySelector<HTMLElement>('.tokens')!;
  if ([...list.querySelectorAll<HTMLInputElement>('input[type=hidden]')].some((i) => i.value === t.value)) {
    say(p, `${t.name} is chosen already.`);
    return;
  }
  const made = p.querySelector<HTMLTemplateElement>('template')!.content.cloneNode(true) as DocumentFragment;
  made.querySelector('input')!.value = t.value;
  made.querySelector('.token-name')!.textContent = t.name;
  made.querySelector('button')!.setAttribute('aria-label', `Remove ${t.name}`);
  list.append(made);
  say(p, `${t.name} added.`);
  field(p).dispatchEvent(new Event('change', { bubbles: true }));
};

let waiting = 0;
export function pickers() {
  const at = (e: Event) => (e.target as Element).closest<HTMLElement>('[data-picker]');
  const isField = (e: Event) => (e.target as Element).matches('[role=combobox]');

  document.addEventListener('focusin', (e) => {
    const p = at(e);
    // Typed text is no choice: without script the field is sent as it is.
    if (p && isField(e)) field(p).removeAttribute('name');
  });
  document.addEventListener('input', (e) => {
    const p = at(e);
    if (!p || !isField(e)) return;
    clearTimeout(waiting);
    waiting = window.setTimeout(() => void search(p), 120);
  });
  document.addEventListener(
    'change',
    (e) => {
      // What is typed into the search is nobody's change but the picker's own.
      if (at(e) && isField(e) && e.isTrusted) e.stopPropagation();
    },
    true,
  );
  document.addEventListener(
    'keydown',
    (e) => {
      const p = at(e);
      if (!p || !isField(e)) return;
      const shown = !results(p).hidden;
      const all = options(p);
      const i = all.indexOf(active(p)!);
      if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
        e.preventDefault();
        if (!shown) return void search(p);
        const next = e.key === 'ArrowDown' ? i + 1 : i < 0 ? all.length - 1 : i - 1;
        activate(p, all[(next + all.length) % all.length]);
      } else if (e.key === 'Enter') {
        e.preventDefault();
        const chosen = active(p) ?? (all.length === 1 && shown ? all[0] : undefined);
        if (chosen) choose(p, chosen);
        else if (!shown) void search(p);
        else say(p, 'Choose one with the arrow keys.');
      } else if (e.key === 'Escape' && shown) {
        e.preventDefault();
        e.stopPropagation();
        close(p);
      } else if (e.key === 'Tab') close(p);
    },
    true,
  );
  document.addEventListener('pointerdown', (e) => {
    const p = at(e);
    document.querySelectorAll<HTMLElement>('[data-picker]').forEach((o) => {
      if (o !== p) close(o);
    });
    if ((e.target as Element).closest('[role=option]')) e.preventDefault(); // the field keeps the focus
  });
  document.addEventListener('click', (e) => {
    const p = at(e);
    if (!p) return;
    const option = (e.target as Element).closest<HTMLElement>('[role=option]');
    if (option) return choose(p, option);
    if (isField(e) && results(p).hidden) return void search(p);
    const drop = (e.target as Element).closest('.token button');
    if (!drop) return;
    const token = drop.closest('.token')!;
    const next = (token.nextElementSibling ?? token.previousElementSibling)?.querySelector<HTMLElement>('button');
    say(p, `${token.querySelector('.token-name')!.textContent} removed.`);
    token.remove();
    (next ?? field(p)).focus();
    field(p).dispatchEvent(new Event('change', { bubbles: true }));
  });
}

// What a nudge offers, with the two answers to it: side by side with what it would take the
// place of, or as a tick.
import { el, press } from './dom';
import type { Offer, OfferItem } from './embed-types';

export interface Answer {
  act: 'take' | 'drop' | 'decline' | 'together' | 'earned';
  sku: string;
  instead?: string;
  /** Of companions: those that are ticked; sku is what they go with, empty where that is in the cart. */
  items?: string[];
}

const shot = (src?: string) => (src ? [Object.assign(el('img', ''), { src, alt: '', width: 56, height: 56 })] : []);

const thing = (o: Offer, label: string, price: string, picture?: string, was?: string) =>
  el('span', 'thing', ...shot(picture), el('span', 'name', label, el('br', ''), ...(was ? [el('s', '', el('span', 'sr', `${o.was} `), was), ' '] : []), price));

const tick = (o: Offer, it: OfferItem, answer: (a: Answer) => void) => {
  const box = Object.assign(el('input', ''), { type: 'checkbox', checked: !!it.taken });
  box.addEventListener('change', () => answer({ act: box.checked ? 'take' : 'drop', sku: it.sku }));
  return el(
    'label',
    'tick',
    box,
    ...shot(it.picture),
    el('span', 'name', el('b', '', o.yes), el('br', ''), it.label),
    el('span', 'price', ...(it.was ? [el('s', '', it.was), ' '] : []), it.price),
  );
};

/** Companions that the shopper has unticked on this page. */
const unticked = new Set<string>();

/** Companions, each ticked, below what they go with; what is ticked is put in together. */
const together = (o: Offer, t: NonNullable<Offer['together']>, answer: (a: Answer) => void) => {
  const open = o.items.filter((it) => !it.taken);
  const chosen = () => open.filter((it) => !unticked.has(it.sku)).map((it) => it.sku);
  const yes = press(o.yes, 'put', () => {
    if (yes.ariaDisabled === 'true') return;
    yes.ariaDisabled = 'true'; // once, however often it is pressed
    answer({ act: 'together', sku: t.in_cart ? '' : t.main.sku, items: chosen() });
  });
  const total = el('span', 'far');
  total.setAttribute('role', 'status');
  const sum = () => {
    const skus = chosen();
    const is = t.sums.find((x) => x.skus.join() === skus.join());
    yes.ariaDisabled = String(!is);
    total.replaceChildren(...(is ? [is.total, ...(is.saved ? [el('small', '', is.saved)] : [])] : []));
  };
  const row = (it: OfferItem) => {
    const box = Object.assign(el('input', ''), { type: 'checkbox', checked: !unticked.has(it.sku) });
    box.addEventListener('change', () => {
      if (box.checked) unticked.delete(it.sku);
      else unticked.add(it.sku);
      sum();
    });
    return el('li', '', el('label', 'tick', box, thing(o, it.label, it.price, it.picture, it.was)));
  };
  sum();
  return [
    el('ul', 'with', el('li', 'main', thing(o, t.main.label, t.in_cart || t.main.price, t.main.picture)), ...open.map(row)),
    el('div', 'answers', yes, ...(o.no ? [press(o.no, 'no', () => answer({ act: 'decline', sku: '' }))] : []), total),
  ];
};

/** Draws an offer; answer is told what the shopper says to it. */
export const offered = (o: Offer, answer: (a: Answer) => void) => {
  const box = el('div', 'offers');
  const open = o.items.filter((it) => !it.taken);
  if (o.together) box.append(...together(o, o.together, answer));
  else if (o.kind === 'order_bump') box.append(...o.items.map((it) => tick(o, it, answer)));
  else
    for (const it of open) {
      const row = el('div', 'pair', thing(o, it.label, it.price, it.picture, it.was));
      if (it.instead) row.prepend(thing(o, it.instead_label ?? '', it.instead_price ?? '', it.instead_picture), el('span', 'to', '→'));
      const yes = press(o.yes, 'put', () => answer({ act: 'take', sku: it.sku, instead: it.instead }), `${o.yes}: ${it.label}`);
      box.append(
        row,
        el(
          'div',
          'answers',
          yes,
          ...(it === open.at(-1) && o.no ? [press(o.no, 'no', () => answer({ act: 'decline', sku: it.sku }))] : []),
          el('span', 'far', it.total ?? ''),
        ),
      );
    }
  return box;
};

// What a nudge offers, with the two answers to it: side by side with what it would take the
// place of, or as a tick.
import { el, press } from './dom';
import type { Offer, OfferItem } from './embed-types';

export interface Answer {
  act: 'take' | 'drop' | 'decline';
  sku: string;
  instead?: string;
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

/** Draws an offer; answer is told what the shopper says to it. */
export const offered = (o: Offer, answer: (a: Answer) => void) => {
  const box = el('div', 'offers');
  const open = o.items.filter((it) => !it.taken);
  if (o.kind === 'order_bump') box.append(...o.items.map((it) => tick(o, it, answer)));
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

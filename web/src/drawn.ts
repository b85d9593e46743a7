// The cart as a decision draws it, as far as the embed uses it.
export type Words = Record<
  | 'cart'
  | 'close'
  | 'empty'
  | 'quantity'
  | 'remove'
  | 'remove_set'
  | 'gift'
  | 'pick'
  | 'take'
  | 'yours'
  | 'put_back'
  | 'add'
  | 'code'
  | 'apply'
  | 'deliver_to'
  | 'postcode'
  | 'estimate'
  | 'was'
  | 'to_pay'
  | 'checkout',
  string
>;
export interface Group {
  build?: { nudge: string; id: string };
  heading?: string;
  text?: string;
  plan?: string;
  next?: string[];
  was?: string;
  paid?: string;
  lines: { id?: string; sku: string; label: string; picture?: string; quantity: number; origin?: object; plan?: string; was?: string; paid?: string }[];
}
export interface Cart {
  language: string;
  rtl?: boolean;
  told?: string[];
  pieces: number;
  groups: Group[];
  gifts?: { nudge: string; sku: string; label: string; many: number; picture?: string; was: string }[];
  choices?: { nudge: string; state: string; title: string; items?: { sku: string; label: string; picture?: string; price?: string; on?: boolean }[] }[];
  also?: { nudge: string; items: { sku: string; quantity: number }[]; label: string; picture?: string; text: string }[];
  also_text?: string;
  codes?: { code: string; state: string; text: string }[];
  sums: { text: string; amount: string; was?: string }[];
  goods: string;
  to_pay: string;
  words: Words;
}

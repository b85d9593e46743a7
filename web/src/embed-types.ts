// What the embed knows of a decision, of the visit, and of what draws.
import type { Cart } from './drawn';

export type Minor = number;
export interface Words {
  text: string;
  strong?: boolean;
}
export interface Mark {
  at: Minor;
  reached: boolean;
  label: string;
  goal: string;
}
export interface Said {
  nudge: string;
  revision: number;
  rung: number;
  state: string;
  band?: string;
  newly?: boolean;
  language: string;
  text: string;
  pieces: Words[];
  progress: { value: Minor; most: Minor; marks: Mark[]; text: string };
  rtl?: boolean;
  look: { tone?: string; bar?: string; goods?: string; marked?: number; own_ground?: string; own_text?: string };
  tables?: { sku: string; rows: Row[] }[];
  hints?: Hint[];
  builder?: Builder;
  offer?: Offer;
  act?: { text: string; link?: string; code?: string; put?: { sku: string; quantity: number }[] };
  earn?: { act: string; text: string; no?: string; share?: string; gone: string };
  heading?: string;
  picture?: string;
  picture_alt?: string;
  ends?: { seconds: number; text: string };
  once?: boolean;
  remember?: boolean;
}
export interface Offer {
  kind: string;
  yes: string;
  no?: string;
  was: string;
  items: OfferItem[];
  together?: { main: OfferItem; in_cart?: string; sums: { skus: string[]; more: string; total: string; saved?: string }[] };
}
export interface OfferItem {
  sku: string;
  label: string;
  picture?: string;
  was?: string;
  price: string;
  total?: string;
  taken?: boolean;
  instead?: string;
  instead_label?: string;
  instead_picture?: string;
  instead_price?: string;
}
export interface Builder {
  slots: { name?: string; bounds: string; goods: Good[] }[];
  empty: string;
  most: number;
  words: Record<'choose' | 'more' | 'fewer' | 'sold_out' | 'place' | 'spare' | 'put' | 'clear' | 'once', string>;
  plans?: { plan: string; text: string; next?: string[] }[];
}
export interface Good {
  sku: string;
  label: string;
  picture?: string;
  price: string;
  by?: Record<string, string>;
  out?: boolean;
}
export interface Piece {
  sku: string;
  quantity: number;
}
export interface Row {
  here?: boolean;
  marked?: boolean;
  total?: string;
  add?: number;
  range: string;
  price: string;
  act: string;
}
export interface Hint {
  id?: string;
  sku: string;
  add: number;
  text: string;
  act: string;
}
export interface Rung {
  rung: number;
  state: string;
}
export interface Build {
  nudge: string;
  id: string;
  state: string;
  pieces: number;
  text: string;
  next?: { pieces: number };
}
export interface Decision {
  locale?: string;
  lines: (Piece & { build?: { nudge: string; id: string } })[];
  builds?: Build[];
  cart?: Cart;
  awaits?: string[];
  theme?: Theme;
  says: Said[];
  shown: Record<string, string[]>;
  nudges: { nudge: string; revision: number; rungs: Rung[]; reason?: string; arm?: string }[];
  region?: string;
}
/** What the shop's theme sets, by the names of custom properties. */
export interface Theme {
  light: Record<string, string>;
  dark?: Record<string, string>;
  scheme?: string;
}
export interface Visit {
  id: string;
  reached: { nudge: string; rung: number }[];
  seen: string[];
  shown: { nudge: string; revision: number }[];
  declined: string[];
  /** How often each nudge was shown, to the page before this one; what a dialog shows counts at once. */
  shows: Record<string, number>;
  /** When a dialog was last open, in milliseconds. */
  asked?: number;
  device?: string;
  /** The utm parameters of the address that the visit began with. */
  campaign?: Record<string, string>;
}
export interface Request {
  cart: unknown;
  moment?: object;
  visit?: object;
  /** Who the shopper is, signed by the shop's server. */
  shopper_token?: string;
}
/** An element that draws from the decision. */
export interface Drawn extends HTMLElement {
  draw(): void;
}

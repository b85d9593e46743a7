// The shop's theme: custom properties on the page, so that everything drawn has them.
import type { Theme } from './embed-types';

let set: string[] = [];
let told: Theme | undefined;
const night = matchMedia('(prefers-color-scheme: dark)');

const paint = () => {
  const dark = told?.scheme === 'dark' || (told?.scheme === 'device' && night.matches);
  const now = { ...told?.light, ...(dark && told?.dark) };
  const { style } = document.documentElement;
  for (const name of set) if (!(name in now)) style.removeProperty(`--agonal-${name}`);
  for (const [name, value] of Object.entries(now)) style.setProperty(`--agonal-${name}`, value);
  set = Object.keys(now);
};
night.addEventListener('change', paint);

/** Paints a theme, or what the shop's own styles say where there is none. */
export const themed = (t?: Theme) => {
  told = t;
  paint();
};

// Where sets are put together: fetched where a page has such a place.
import { SetBuilder } from './set-builder';

const sheet = new CSSStyleSheet();
sheet.replaceSync(`
  .set { display: grid; gap: 14px; font-size: calc(var(--agonal-size, 14px) * 1.07) } 
  .set ol, .set ul { list-style: none; margin: 0; padding: 0; display: grid; gap: 8px }
  .places { grid-template-columns: repeat(auto-fill, minmax(92px, 1fr)) }
  .places li { min-height: 84px; display: grid; place-items: center; text-align: center; font-size: calc(var(--agonal-size, 14px) * .93); border: 1px dashed var(--agonal-open, #b8780f); color: var(--agonal-hint, #7d4f05); background: var(--agonal-open-ground, #fdf6e3) }
  .places .full { border: 1px solid var(--agonal-done-paper, #0e5a56); background: none; color: inherit } .places .spare { border-color: color-mix(in srgb, currentColor 35%, transparent); background: none; color: inherit }
  .set .out { display: grid; place-items: center; gap: 3px; width: 100%; height: 100%; padding: 6px 4px; text-decoration: none; line-height: 1.2 }
  .set .foot { padding: 10px 0; background: var(--agonal-drawer, #fff); border-top: 1px solid color-mix(in srgb, currentColor 22%, transparent); display: flex; flex-wrap: wrap; gap: 8px 16px; align-items: center; justify-content: space-between }
  @media (min-height: 560px) { .set .foot { position: sticky; bottom: 0 } }
  .set .put { padding: 10px 18px; min-height: 44px; border: 1px solid var(--agonal-ground, #1b2a4a); background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none }
  .set .put[aria-disabled=true] { background: none; color: inherit; opacity: .72; cursor: default }
  .set h3 { margin: 4px 0 6px; font: inherit; font-weight: 700 } .set small { font-weight: 400 }
  .cards { grid-template-columns: repeat(auto-fill, minmax(118px, 1fr)) } .cards li { display: flex; flex-direction: column; gap: 2px; align-items: center; text-align: center; padding: 10px 6px; background: var(--agonal-card, #e8edf1) }
  .cards .name { line-height: 1.25 } .set .taken { outline: 2px solid var(--agonal-done-paper, #0e5a56); outline-offset: -2px } .set .gone { opacity: .62 }
  .list li { display: flex; gap: 10px; align-items: center; padding: 4px 8px; border-top: 1px solid color-mix(in srgb, currentColor 18%, transparent) } .list .name { flex: 1 }
  .cards .acts { margin-top: auto } .acts { display: inline-flex; gap: 6px; align-items: center } .set .acts button { min-width: 44px; min-height: 44px } .plan { font: inherit; padding: 8px; min-height: 44px }`);

class Styled extends SetBuilder {
  constructor(...given: ConstructorParameters<typeof SetBuilder>) {
    super(...given);
    const root = given[0].shadowRoot!;
    if (!root.adoptedStyleSheets.includes(sheet)) root.adoptedStyleSheets = [...root.adoptedStyleSheets, sheet];
  }
}
(window as unknown as { AgonalSet: typeof SetBuilder }).AgonalSet = Styled;

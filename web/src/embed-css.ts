// The style of everything that the embed draws; shops change it by custom properties.
export const css = `
  :host { display: block; container-type: inline-size }
  :host([hidden]) { display: none } .n.also { min-height: 0; padding: 8px 20px; border-bottom: 1px solid color-mix(in srgb, currentColor 18%, transparent) }
  .n { box-sizing: border-box; min-height: var(--agonal-height, 56px); padding: calc(8px * var(--agonal-space, 1)) calc(20px * var(--agonal-space, 1)) calc(9px * var(--agonal-space, 1)); border-radius: var(--agonal-corner, 0); display: flex; flex-direction: column; justify-content: center; gap: calc(7px * var(--agonal-space, 1)); font: inherit; font-size: var(--agonal-size, 14px); line-height: 1.35; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff) }
  .paper { background: var(--agonal-paper, #fff); color: var(--agonal-paper-text, #1b2a4a) }
  .accent { background: var(--agonal-accent, #f0c35a); color: var(--agonal-accent-text, #23180a) }
  p { margin: 0 } b { font-weight: 700 }
  .bar { position: relative; height: 8px; background: color-mix(in srgb, currentColor 22%, transparent) }
  .fill { height: 100%; background: var(--agonal-fill, #f0c35a); transition: width .2s }
  .paper .fill { background: var(--agonal-fill-paper, #b8780f) } .accent .fill { background: currentColor }
  .reached .fill { background: var(--agonal-done, #5fc0a8) } .paper.reached .fill { background: var(--agonal-done-paper, #0e5a56) }
  i { position: absolute; top: -2px; width: 2px; height: 12px; margin-inline-start: -2px; background: currentColor }
  .solid i { display: none }
  .marks { list-style: none; margin: 0; padding: 0; display: grid; gap: 3px }
  .marks li { display: flex; gap: .6em } .marks li::before { content: '○'; width: 1.1em; flex: none } .marks .done::before { content: '✓'; color: var(--agonal-done, #5fc0a8) }
  .paper .marks .done::before { color: var(--agonal-done-paper, #0e5a56) } .accent .marks .done::before { color: inherit }
  .marks span { margin-inline-start: auto; font-variant-numeric: tabular-nums }
  :host([place=launcher]) { position: fixed; z-index: 40; inset-inline-start: 16px; bottom: 16px; width: auto; container-type: normal }
  .round { width: 52px; height: 52px; padding: 0; border-radius: 50%; background: conic-gradient(var(--agonal-fill, #f0c35a) var(--share, 0%), color-mix(in srgb, var(--agonal-text, #fff) 35%, var(--agonal-ground, #1b2a4a)) 0); display: grid; place-items: center; box-shadow: 0 2px 10px #0004 }
  .round::after { content: '%'; width: 40px; height: 40px; border-radius: 50%; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); display: grid; place-items: center; font-weight: 700 }
  .reached.round::after { content: '✓' }
  .round + .n { position: absolute; inset-inline-start: 0; bottom: 62px; width: min(300px, calc(100vw - 32px)) } .round[aria-expanded=false] + .n { display: none }
  [hidden] { display: none }
  .prices { width: 100%; border-collapse: collapse; font: inherit }
  .prices td { padding: 6px 8px; border-top: 1px solid color-mix(in srgb, currentColor 25%, transparent); text-align: start }
  .prices td + td { text-align: end; font-variant-numeric: tabular-nums } .prices .here { font-weight: 700 }
  .prices .marked td:first-child::before { content: '★ ' } .prices .marked { background: color-mix(in srgb, var(--agonal-fill, #f0c35a) 26%, transparent) } .all { display: block; opacity: .8 }
  .heading { margin: 0; font: inherit; font-size: calc(var(--agonal-size, 14px) * 1.57); line-height: 1.2 } .ends { font-variant-numeric: tabular-nums; font-weight: 600 } .ask { max-width: min(420px, calc(100vw - 32px)); border: 0; padding: 24px; color: var(--agonal-drawer-text, var(--agonal-paper-text, #1b2a4a)); background: var(--agonal-drawer, #fff); font-size: calc(var(--agonal-size, 14px) * 1.07); border-radius: var(--agonal-corner, 0) } .ask p { margin: 8px 0 14px } .ask::backdrop { background: #1b2a4a73 } .ask[open]:not(:modal) { position: fixed; inset: 0; z-index: 50; height: fit-content; margin: auto; box-shadow: 0 0 0 100vmax #1b2a4a73 }
  .offer { display: flex; gap: 14px; align-items: center; padding: 8px 0; border-top: 1px solid color-mix(in srgb, currentColor 20%, transparent) } .offer .name { flex: 1 } .ask .put { padding: 8px 16px; min-height: 44px; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none }
  .n:has(.offers):not(.plain) { padding-block: 16px } .offers { display: grid; gap: 10px } .pair { display: grid; grid-template-columns: 1fr; gap: 8px 12px; align-items: center } .pair:has(.to) { grid-template-columns: 1fr auto 1fr } .thing .name { line-height: 1.3; text-wrap: balance } .thing, .tick { display: flex; gap: 12px; align-items: center } .tick { cursor: pointer; min-height: 44px } .tick .name { flex: 1 } .tick input { width: 20px; height: 20px; flex: none; accent-color: var(--agonal-ground, #1b2a4a) }
  .n:has(> .beside) { display: grid; grid-template-columns: auto 1fr; align-items: start; align-content: center; gap: 0 16px; padding-block: 14px } .n:has(> .beside) > .heading { margin-bottom: 6px } .n > .beside { grid-row: 1 / span 9; width: 72px; height: 72px; object-fit: cover } .n:has(> .beside) > :not(.beside) { grid-column: 2 }
  .with { list-style: none; margin: 0; padding: 0; display: grid } .with li { padding: 6px 0; border-top: 1px solid color-mix(in srgb, currentColor 22%, transparent) } .with .main { padding-inline-start: 32px } .tick input { margin: 0 } .with img { object-fit: cover } .answers small { display: block; font-weight: 400 }
  .far { font-weight: 600 }
  .answers { display: flex; flex-wrap: wrap; gap: 8px 14px; align-items: center } .answers .put, .answers .no { padding: 8px 16px; min-height: 44px; text-decoration: none; border: 1px solid currentColor } .paper .put { background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff) } .answers .far { margin-inline-start: auto; font-weight: 400 }
  .ask button.act { padding: 8px 16px; min-height: 44px; background: var(--agonal-ground, #1b2a4a); color: var(--agonal-text, #fff); text-decoration: none } .act { font-weight: 700; color: inherit; text-underline-offset: 3px }
  .sr { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%) }
  .plain { background: none; color: inherit; padding: 0; min-height: 0 }
  .price { font-variant-numeric: tabular-nums }
  .put, .no, .bar, .fill { border-radius: calc(var(--agonal-corner, 0px) / 2) }
  button { font: inherit; color: inherit; background: none; border: 0; padding: 4px 0; min-height: 28px; text-decoration: underline; text-underline-offset: 3px; cursor: pointer }
  .hint { color: var(--agonal-hint, #7d4f05); font: inherit; font-size: var(--agonal-size, 14px); line-height: 1.4 } .hint button { margin-inline-start: .4em }
  @media (prefers-reduced-motion: reduce) { .fill { transition: none } }`;

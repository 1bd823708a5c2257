// Opens the page's component in place of what was written beforehand.

import { Engine } from './engine.mjs';
import * as host from './host.js';
import { SITE } from './site.mjs';

const at = (file) => fetch(new URL(file, import.meta.url));
const view = document.querySelector('body > #view');

document.addEventListener('vein-stopped', ({ detail }) => {
  const bar = document.querySelector('body > #link');
  bar.textContent = detail.message;
  bar.hidden = false;
});

const engine = await Engine.load(at(SITE.module), at(SITE.plans));
const given = JSON.parse(document.querySelector('body > #props').textContent);
let page = null;

/** Opens the page's component, once. */
function open(props = {}) {
  const { component, locale, zone } = SITE;
  page ??= engine.open(component, {
    into: view, props: { ...given, ...props }, host, takeOver: true, locale, zone,
  });
  return page;
}

await host.default?.({ open });
open();
document.documentElement.dataset.linked = '';

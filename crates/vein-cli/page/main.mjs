// Opens the page's component in place of what was written beforehand.

import * as host from './host.js';
import { FACE, Opened } from './component.mjs';

const view = document.querySelector('body > #view');
const given = JSON.parse(document.querySelector('body > #props').textContent);
let page = null;

/** Opens the page's component, once. */
function open(props = {}) {
  page ??= new Opened(FACE, { into: view, props: { ...given, ...props }, host, takeOver: true });
  return page;
}

await host.default?.({ open });
open();
document.documentElement.dataset.linked = '';

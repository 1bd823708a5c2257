// Shows the page's component in place of what was written beforehand, where there is no host.

import { FACE, show } from './component.mjs';

const at = (id) => document.querySelector(`body > #${id}`);
show(FACE, at('view'), JSON.parse(at('props').textContent));
document.documentElement.dataset.linked = '';

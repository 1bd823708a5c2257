// The form by hand: each place that shows the name is kept.

const form = document.querySelector('form');
const field = document.getElementById('name');
const items = Array.from(form.querySelectorAll('li'));
const texts = items.slice(0, 7).map((item) => item.firstChild);
const titled = items.slice(7);
let name = field.value;

function show() {
  for (const text of texts) text.nodeValue = name;
  for (const item of titled) item.title = name;
}

field.addEventListener('input', () => {
  name = field.value;
  show();
});
form.addEventListener('submit', (event) => {
  event.preventDefault();
  name = '';
  field.value = '';
  show();
});

globalThis.page = {};
globalThis.ready = performance.now();

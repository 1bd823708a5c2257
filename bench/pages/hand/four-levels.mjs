// The event that climbs four levels, by hand: each level is told by the one inside it.

const view = document.getElementById('view');
const text = view.querySelector('p').firstChild;
let drawn = 0;

function tap(into, draw) {
  const button = document.createElement('button');
  button.id = 'draw';
  button.textContent = 'Draw';
  button.addEventListener('click', () => draw(2));
  into.append(button);
}

const level = (inner) => (into, draw) => {
  const element = document.createElement('div');
  inner(element, (litres) => draw(litres));
  into.append(element);
};

level(level(level(tap)))(view, (litres) => {
  drawn += litres;
  text.nodeValue = `${drawn} l drawn`;
});

globalThis.page = {};
globalThis.ready = performance.now();

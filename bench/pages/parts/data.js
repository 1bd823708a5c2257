// The data that both sides show: made-up crops, the same at every run.

const FIRST = ['Ruby', 'Lemon', 'Black', 'Winter', 'Curly', 'Golden', 'Silver', 'Night'];
const SECOND = ['chard', 'basil', 'kale', 'purslane', 'mint', 'beet', 'sorrel', 'bean'];

/** Crops, numbered from the first on. */
export function harvest(count, first) {
  const crops = [];
  for (let id = first; id < first + count; id++) {
    const name = `${FIRST[(id * 7) % 8]} ${SECOND[(id * 3) % 8]} ${id % 97}`;
    crops.push({ id, name, litres: ((id * 13) % 400) / 10, picked: false });
  }
  return crops;
}

/** A tree of branches: as many in each, so many levels deep. */
export function thicket(wide, deep, name = 'branch') {
  const inside = deep === 0 ? [] : Array.from({ length: wide }, (_, at) => thicket(wide, deep - 1, `${name} ${at}`));
  return { id: name.slice(7), name, open: true, inside };
}

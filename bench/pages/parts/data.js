// The data that both sides show: a made-up glasshouse, the same at every run.

const FIRST = ['Ruby', 'Lemon', 'Black', 'Winter', 'Curly', 'Golden', 'Silver', 'Night'];
const SECOND = ['chard', 'basil', 'kale', 'purslane', 'mint', 'beet', 'sorrel', 'bean'];
const SKIES = ['clear', 'cloudy', 'rain', 'mist', 'frost'];

/** Beds, numbered from the first on; their moistures are spread evenly from 0 to 79. */
export function sow(count, first) {
  const beds = [];
  for (let id = first; id < first + count; id++) {
    const crop = `${FIRST[(id * 7) % 8]} ${SECOND[(id * 3) % 8]} ${id % 97}`;
    beds.push({ id, crop, litres: (id * 13) % 40, moisture: (id * 31) % 80, marked: false, note: '' });
  }
  return beds;
}

/** A branch with so many in it, so many levels deep. */
export function grow(wide, deep, name = 'branch') {
  const inside = deep === 0 ? [] : Array.from({ length: wide }, (_, at) => grow(wide, deep - 1, `${name} ${at}`));
  return { id: name.slice(7), name, open: true, inside };
}

/** The fields of a form. */
export const plots = (count) => Array.from({ length: count }, (_, at) => ({ id: at, name: `Plot ${at + 1}`, crop: '' }));

const open = [];

/** Answered when the benchmark says so, all in one turn. */
export const forecast = (bed, day) => new Promise((done) => {
  open.push(() => { done(`${SKIES[(bed + day) % 5]} on day ${day}`); });
});

globalThis.answer = () => { for (const one of open.splice(0)) one(); };

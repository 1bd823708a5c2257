// What the glasshouse asks. All of it is made up.

/** Answered at once. */
export function season() {
  return 'late autumn';
}

const FORECASTS = [
  { sky: 'clear', degrees: 14, rain: 0 },
  { sky: 'showers', degrees: 11, rain: 6 },
  { sky: 'fog', degrees: 7, rain: 1 },
];
let questions = 0;

const pause = (milliseconds) => new Promise((done) => { setTimeout(done, milliseconds); });

/** Answered later; every third question has no answer. */
export async function fetch_forecast() {
  questions++;
  await pause(1500);
  if (questions % 3 === 0) throw new Error('the weather station is silent');
  return FORECASTS[(questions - 1) % FORECASTS.length];
}

/** Answered again and again, until nobody listens any more. */
export async function* moisture_sensor(bed, { signal }) {
  let moisture = 20 + (bed * 17) % 60;
  await pause(800);
  while (!signal.aborted) {
    yield Math.round(moisture * 10) / 10;
    await pause(4000);
    moisture = Math.max(20, Math.min(80, moisture + 4 * Math.random() - 2));
  }
}

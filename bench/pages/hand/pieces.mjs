// What the pages by hand share.

/** Markup that is parsed once, to be cloned. */
export function pattern(html) {
  const template = document.createElement('template');
  template.innerHTML = html;
  return template.content.firstChild;
}

/** Hears the click of a button. */
export const on = (id, run) => document.getElementById(id).addEventListener('click', run);

/** Hears what is entered into a field. */
export const entered = (id, run) => {
  const field = document.getElementById(id);
  field.addEventListener('input', () => run(field.value));
};

/** The positions of a longest run of numbers that grow: what need not move. */
export function longestRun(numbers) {
  const ends = [];
  const back = new Array(numbers.length);
  for (let at = 0; at < numbers.length; at++) {
    let low = 0;
    let high = ends.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (numbers[ends[middle]] < numbers[at]) low = middle + 1;
      else high = middle;
    }
    back[at] = low > 0 ? ends[low - 1] : -1;
    ends[low] = at;
  }
  const run = new Set();
  for (let at = ends.length > 0 ? ends[ends.length - 1] : -1; at >= 0; at = back[at]) run.add(at);
  return run;
}

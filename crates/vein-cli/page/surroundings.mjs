// What a module of a host in Rust finds around it; whoever opens pages says what that is.

let around = null;

/** Says what the module is to find. */
export function surround(surroundings) {
  around = surroundings;
}

export const ask = (...given) => around.ask(...given);
export const format = (...given) => around.format(...given);
export const changed = (page) => around.changed(page);

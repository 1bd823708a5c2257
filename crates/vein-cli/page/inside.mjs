// What a run of scenarios does inside of a compiled page, beyond what a page's host can do.

import { FACE, Opened, put, turn, turnOver } from './component.mjs';

/** The components of a name in a page, each with the first of its nodes that something refers to. */
function called(page, name) {
  const [open, found] = [[page.page.root], []];
  while (open.length > 0) {
    const scope = open.pop();
    if (scope.up$ === null && scope.constructor.called === name) found.push({ scope, first: scope.n0$ });
    for (const place of scope.spots$ ?? []) place.inside(open);
  }
  return found;
}

/** Has a component give an event. */
function give(scope, event, args) {
  turnOver(() => scope.give$(event, args));
}

/** Writes to a component by the way from one of its cells. */
function write(scope, way, value) {
  const [cell, ...steps] = way;
  const last = steps.pop();
  turnOver(() => {
    if (last === undefined) scope.put$(cell, value);
    else if (put(steps.reduce((at, step) => at[step], scope[cell]), last, value)) scope.told$(cell);
  });
}

/** Says what each event has reached: the elements with the numbers of their listeners, and what controls were given back. */
function hearing(told) {
  turn.heard = (event, found, restored) => {
    const nodes = event.composedPath();
    const [fields, reached] = [{}, []];
    for (let at = 0; at < found.length; at += 3) {
      const [scope, listener, looked] = found.slice(at, at + 3);
      const { listeners } = scope.constructor;
      const isOf = (number) => listeners[number] === listener || (listeners[number] !== undefined && isOf(listeners[number].next));
      Object.assign(fields, looked);
      reached.push([nodes.find((node) => isOf(scope.hears$(event.type, node))), listeners.indexOf(listener)]);
    }
    const back = restored.map(({ scope, at, property, was, held }) => [scope[scope.constructor.controls[at]], property, was, held]);
    told(event, fields, reached, back);
  };
}

/** Says what the page's own component gives. */
function giving(page, told) {
  page.page.root.given$ = told;
}

export const inside = { FACE, Opened, called, give, write, hearing, giving };

// Made by `vein build --types` from what `tool-shed` and the components inside it declare.

export interface Tool {
  id: number;
  name: string;
  lent_to?: string | null;
}

/** What the component takes; what has a default may be left out. */
export interface Props {
  tools: Array<Tool>;
}

/** Props, state, derived values and the values of stores, by their paths. */
export interface Values {
  "desk.neighbour": string;
  "desk.is_known": boolean;
  tools: Array<Tool>;
  hours: string | null;
  "hours.reason": string;
  search: string;
  wanted: string;
  found: Array<Tool>;
  lent: number;
}

/** The events that the component gives, with their payloads. */
export interface Events {
}

/** The handlers that can be called, with their parameters. */
export interface Handlers {
  "desk.greet": [name: string];
  hand: [id: number, to: string | null];
}

/** What comes after the arguments of a question: it is let go when nobody waits any more. */
export interface Asked {
  signal: AbortSignal;
}

/** What `host.js` exports: each function that the components ask, await or stream. */
export interface Host {
  opening_hours(asked: Asked): Promise<string> | string;
  /** Called before the page is opened; it may open it itself, with props of its own. */
  default?(vein: { open(props?: Partial<Props>): Page }): void | Promise<void>;
}

/** What stands at a path; for longer paths, such as `beds[3].moisture`, it is not known here. */
export type At<Path extends string> = Path extends keyof Values ? Values[Path] : unknown;

/** A component on a page. What cannot be done throws, and nothing is changed. */
export interface Page {
  /** Writes to a prop or to state. */
  set<Path extends string>(path: Path, value: At<Path>): void;
  /** The value at a path. */
  get<Path extends string>(path: Path): At<Path>;
  /** Calls a handler of the component, or of a store. */
  call<Name extends keyof Handlers>(handler: Name, ...args: Handlers[Name]): void;
  /** Calls a function with the value at a path, now and whenever it has become another. */
  watch<Path extends string>(path: Path, changed: (value: At<Path>) => void): () => void;
  /** Calls a function with the payload of each event of a name that the component gives. */
  on<Name extends keyof Events>(event: Name, given: (payload: Events[Name]) => void): () => void;
  /** Removes the component with everything that it subscribed to. */
  close(): void;
}

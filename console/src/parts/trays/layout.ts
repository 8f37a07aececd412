/** How many devices are in a state. */
export interface StateCount {
  name: string;
  count: number;
}

/** One cell of a tray: its state, and for how many devices it stands. */
export interface Cell {
  state: string;
  devices: number;
}

/** Past this many devices, a cell stands for several. */
export const MOST_CELLS = 600;

/** From the bottom of a tray to its top. */
const FROM_BOTTOM = ["met", "undone", "restart", "working", "ready", "waiting", "choice", "blocked", "retry", "contested", "lost", "failed", "unknown", "yielded", "not-needed", "left"];

/** One of these must be seen even among a hundred thousand. */
const NEVER_SHARED = new Set(["failed", "lost", "contested", "retry"]);

/** Of so many in one state, not even those that must be seen get a cell each. */
const MOST_ALONE = 200;

/**
 * The cells of a tray from its bottom. Up to {@link MOST_CELLS} devices there is one for each; of more, a cell stands for an equal share, but what failed, is lost,
 * contested or tried again keeps a cell each, and no state that has a device is without a cell.
 */
export function cells(states: readonly StateCount[], most: number = MOST_CELLS): Cell[] {
  const there = states.filter((state) => state.count > 0).sort((a, b) => place(a.name) - place(b.name));
  const all = there.reduce((sum, state) => sum + state.count, 0);
  const alone = (state: StateCount) => NEVER_SHARED.has(state.name) && state.count <= MOST_ALONE;
  const single = there.filter(alone).reduce((sum, state) => sum + state.count, 0);
  const each = all <= most ? 1 : Math.max(1, (all - single) / Math.max(1, most - single));
  return there.flatMap((state) => split(state, all <= most || alone(state) ? 1 : each));
}

function split(state: StateCount, each: number): Cell[] {
  const length = Math.max(1, Math.round(state.count / each));
  const base = Math.floor(state.count / length);
  const more = state.count - base * length;
  return Array.from({ length }, (_, at) => ({ state: state.name, devices: base + (at < more ? 1 : 0) }));
}

function place(state: string): number {
  const at = FROM_BOTTOM.indexOf(state);
  return at < 0 ? FROM_BOTTOM.length : at;
}

/** How a tray's cells stand: side by side in columns, filled row by row from the bottom. */
export interface Grid {
  columns: number;
  rows: number;
  /** From one cell to the next, in the drawing's units. */
  pitch: number;
  /** The side of a cell. */
  size: number;
}

/** The largest cells with which so many fit a tray of this size, at most <paramref>largest</paramref> from one to the next. */
export function grid(length: number, width: number, height: number, largest = 24): Grid {
  let pitch = Math.min(largest, width, height);
  while (pitch > 1 && Math.floor(width / pitch) * Math.floor(height / pitch) < length) pitch -= pitch > 8 ? 0.5 : 0.25;
  const columns = Math.max(1, Math.floor(width / pitch));
  return { columns, rows: Math.ceil(length / columns), pitch, size: pitch - Math.max(0.6, pitch * 0.16) };
}

/** How wide each tray is drawn: wider for more devices, but the smallest can still be read, and none wider than its cells need. Adds up to no more than the whole. */
export function widths(devices: readonly number[], whole: number, least: number, largest: (count: number) => number = () => whole): number[] {
  const weights = devices.map((count) => Math.sqrt(Math.max(1, count)));
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  const given = weights.map((weight, at) => Math.max(least, Math.min(largest(devices[at]!), (weight / total) * whole)));
  const over = given.reduce((sum, width) => sum + width, 0) - whole;
  const room = given.reduce((sum, width) => sum + Math.max(0, width - least), 0);
  return over <= 0 || room <= 0 ? given : given.map((width) => width - (Math.max(0, width - least) / room) * Math.min(over, room));
}

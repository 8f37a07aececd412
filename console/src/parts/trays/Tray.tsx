import { memo, useMemo } from "react";
import { devices } from "../format";
import { lookOf } from "../states";
import { type Cell, cells, grid, type Grid, MOST_CELLS, type StateCount } from "./layout";

interface TrayProps {
  states: readonly StateCount[];
  width: number;
  height: number;
  isOpen: boolean;
  largest?: number;
  /** What opens behind a state; without it, the tray is a picture. */
  onPick?: (state: string) => void;
}

const INSET = 6;

/** From this size on, a cell has room for its state's glyph. */
const LEAST_WITH_GLYPH = 7;

/** A tray: a cell for each device, filled from the bottom by state. Each state is one shape, so that a list of fifty trays is a few hundred and not tens of thousands. */
export const Tray = memo(function Tray({ states, width, height, isOpen, largest, onPick }: TrayProps) {
  const { shapes, size } = useMemo(() => {
    const all = cells(states, Math.min(MOST_CELLS, Math.max(40, Math.floor(((width - 2 * INSET) * (height - INSET)) / 25))));
    const places = grid(all.length, width - 2 * INSET, height - INSET, largest);
    return { shapes: shape(all, places, width, height), size: places.size };
  }, [states, width, height, largest]);
  return (
    <svg width={width} height={height + 2} viewBox={`0 0 ${width} ${height + 2}`} className={`tray ${isOpen ? "" : "tray-closed"}`} aria-hidden="true">
      <path className="tray-edge" d={`M1 0V${height - 4}a5 5 0 0 0 5 5H${width - 6}a5 5 0 0 0 5-5V0`} />
      {shapes.map(({ state, squares, glyphs }) => {
        const look = lookOf(state);
        return (
          <g key={state} className={`cell cell-${state} ${onPick ? "cell-live" : ""}`} onClick={onPick && (() => onPick(state))}>
            <title>{`${look.word}: ${devices(states.find((each) => each.name === state)?.count ?? 0)}`}</title>
            <path className="square" d={squares} />
            {size >= LEAST_WITH_GLYPH && look.glyph && state !== "met" && glyphs.map(([x, y]) => <path key={`${x} ${y}`} d={look.glyph} transform={`translate(${x} ${y}) scale(${size / 12})`} className={look.isStroked ? "stroked" : "filled"} />)}
          </g>
        );
      })}
    </svg>
  );
});

interface Shape {
  state: string;
  squares: string;
  glyphs: [number, number][];
}

/** The squares of each state as one path, and where its glyphs stand. */
function shape(all: readonly Cell[], { columns, pitch, size }: Grid, width: number, height: number): Shape[] {
  const indent = (width - columns * pitch + (pitch - size)) / 2;
  const side = size - 1;
  const round = Math.min(2.5, side / 4);
  const straight = side - 2 * round;
  const square = `h${n(straight)}a${n(round)} ${n(round)} 0 0 1 ${n(round)} ${n(round)}v${n(straight)}a${n(round)} ${n(round)} 0 0 1 -${n(round)} ${n(round)}h-${n(straight)}a${n(round)} ${n(round)} 0 0 1 -${n(round)} -${n(round)}v-${n(straight)}a${n(round)} ${n(round)} 0 0 1 ${n(round)} -${n(round)}z`;
  const shapes = new Map<string, Shape>();
  all.forEach((cell, at) => {
    const x = indent + (at % columns) * pitch;
    const y = height - INSET / 2 - pitch - Math.floor(at / columns) * pitch;
    let found = shapes.get(cell.state);
    if (!found) shapes.set(cell.state, (found = { state: cell.state, squares: "", glyphs: [] }));
    found.squares += size < LEAST_WITH_GLYPH ? (tiny(cell.state, x, y, side) ?? `M${n(x + 0.5 + round)} ${n(y + 0.5)}${square}`) : `M${n(x + 0.5 + round)} ${n(y + 0.5)}${square}`;
    found.glyphs.push([n(x), n(y)]);
  });
  return [...shapes.values()];
}

/** Where there is no room for a glyph, the cell itself has the form by which its state is told without its colour; null for a plain square. */
export function tiny(state: string, x: number, y: number, side: number): string | null {
  const [left, top, right, bottom] = [n(x + 0.5), n(y + 0.5), n(x + 0.5 + side), n(y + 0.5 + side)];
  const third = side / 3;
  switch (state) {
    case "failed":
      // A cross, drawn as an outline so that it is filled like the rest.
      return `M${left} ${top}h${n(third)}l${n(third / 2)} ${n(third)}l${n(third / 2)} -${n(third)}h${n(third)}l-${n(third)} ${n(side / 2)}l${n(third)} ${n(side / 2)}h-${n(third)}l-${n(third / 2)} -${n(third)}l-${n(third / 2)} ${n(third)}h-${n(third)}l${n(third)} -${n(side / 2)}z`;
    case "working":
    case "restart":
      return `M${left} ${bottom}L${right} ${top}V${bottom}z`;
    case "lost":
      return `M${left} ${top}L${right} ${bottom}H${left}z`;
    case "retry":
      return `M${n(x + 0.5 + side / 2)} ${top}L${right} ${n(y + 0.5 + side / 2)}L${n(x + 0.5 + side / 2)} ${bottom}L${left} ${n(y + 0.5 + side / 2)}z`;
    case "blocked":
    case "contested":
      return `M${left} ${n(y + 0.5 + third)}H${right}V${n(y + 0.5 + 2 * third)}H${left}z`;
    default:
      return null;
  }
}

function n(value: number): number {
  return Math.round(value * 100) / 100;
}

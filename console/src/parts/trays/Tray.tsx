import { memo } from "react";
import { lookOf } from "../states";
import { cells, grid, type StateCount } from "./layout";

interface TrayProps {
  states: readonly StateCount[];
  width: number;
  height: number;
  isOpen: boolean;
  largest?: number;
  /** What opens behind a cell; without it, the tray is a picture. */
  onPick?: (state: string) => void;
}

/** A tray: a cell for each device, filled from the bottom by state. */
export const Tray = memo(function Tray({ states, width, height, isOpen, largest, onPick }: TrayProps) {
  const all = cells(states);
  const inset = 6;
  const { columns, pitch, size } = grid(all.length, width - 2 * inset, height - inset, largest);
  const indent = (width - columns * pitch + (pitch - size)) / 2;
  const isDetailed = size >= 7;
  return (
    <svg width={width} height={height + 2} viewBox={`0 0 ${width} ${height + 2}`} className={`tray ${isOpen ? "" : "tray-closed"}`} aria-hidden="true">
      <path className="tray-edge" d={`M1 0V${height - 4}a5 5 0 0 0 5 5H${width - 6}a5 5 0 0 0 5-5V0`} />
      {all.map((cell, at) => {
        const x = indent + (at % columns) * pitch;
        const y = height - inset / 2 - pitch - Math.floor(at / columns) * pitch;
        const look = lookOf(cell.state);
        return (
          <g key={at} transform={`translate(${x} ${y})`} className={`cell cell-${cell.state} ${onPick ? "cell-live" : ""}`} onClick={onPick && (() => onPick(cell.state))}>
            <title>{cell.devices === 1 ? look.word : `${look.word}: ${cell.devices} devices in this cell`}</title>
            <rect x={0.5} y={0.5} width={size - 1} height={size - 1} rx={Math.min(2.5, size / 5)} />
            {isDetailed && look.glyph && cell.state !== "met" && (
              <path d={look.glyph} transform={`scale(${size / 12})`} className={look.isStroked ? "stroked" : "filled"} />
            )}
          </g>
        );
      })}
    </svg>
  );
});

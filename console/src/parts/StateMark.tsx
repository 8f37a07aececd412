import { lookOf } from "./states";

/** The small square of a state, with its glyph. */
export function StateGlyph({ state, size = 12 }: { state: string; size?: number }) {
  const look = lookOf(state);
  return (
    <svg width={size} height={size} viewBox="0 0 12 12" aria-hidden="true" className={`cell cell-${state}`}>
      <rect x="0.5" y="0.5" width="11" height="11" rx="2" />
      {look.glyph && <path d={look.glyph} className={look.isStroked ? "stroked" : "filled"} />}
    </svg>
  );
}

/** A state as it stands in lists: square, glyph and word. */
export function StateMark({ state, isLate }: { state: string; isLate?: boolean }) {
  return (
    <span className={`state state-${state}`}>
      <StateGlyph state={state} /> <span className="state-word">{lookOf(state).word}</span>
      {isLate && <span className="late">late</span>}
    </span>
  );
}

/** How a target's state is said and drawn. The glyph is a path on a 12 × 12 ground, so that no state is a colour alone. */
export interface StateLook {
  word: string;
  glyph: string;
  isStroked?: boolean;
}

const LOOKS: Record<string, StateLook> = {
  met: { word: "Met", glyph: "M2.8 6.3l2.2 2.2 4.2-4.8", isStroked: true },
  working: { word: "Working", glyph: "M2.5 9.5l7-7", isStroked: true },
  restart: { word: "Restart", glyph: "M9 4.2A3.6 3.6 0 1 0 9.6 7M9.4 2.2v2.4H7", isStroked: true },
  ready: { word: "Ready", glyph: "M4 2.8v6.4L9.2 6z" },
  waiting: { word: "Waiting", glyph: "" },
  retry: { word: "Retry", glyph: "M6 4a2 2 0 1 1 0 4 2 2 0 0 1 0-4z" },
  blocked: { word: "Blocked", glyph: "M2.5 6h7", isStroked: true },
  failed: { word: "Failed", glyph: "M3.2 3.2l5.6 5.6M8.8 3.2L3.2 8.8", isStroked: true },
  lost: { word: "Lost", glyph: "M3 3h6v6H3zM3 9l6-6", isStroked: true },
  contested: { word: "Contested", glyph: "M2.4 4.2h6l-1.6-1.7M9.6 7.8h-6l1.6 1.7", isStroked: true },
  unknown: { word: "Unknown", glyph: "M4.3 4.6a1.8 1.8 0 1 1 2.5 1.7c-.6.3-.8.6-.8 1.2M6 9.1v.4", isStroked: true },
  undone: { word: "Undone", glyph: "M5 3L2.6 5.4 5 7.8M2.8 5.4h4.4a2.2 2.2 0 0 1 0 4.2H6", isStroked: true },
  "not-needed": { word: "Not needed", glyph: "" },
  choice: { word: "On the shelf", glyph: "M3 7.5h6M4 4.5h4", isStroked: true },
  yielded: { word: "Yielded", glyph: "M3 4l3 4 3-4", isStroked: true },
  left: { word: "Left", glyph: "M3 6h6M7 4l2 2-2 2", isStroked: true },
};

export function lookOf(state: string): StateLook {
  return LOOKS[state] ?? { word: state, glyph: "" };
}

/** Every state, in the order in which it is worth somebody's eyes. */
export const STATES = ["failed", "lost", "contested", "retry", "blocked", "restart", "working", "ready", "unknown", "waiting", "met", "undone", "choice", "yielded", "not-needed", "left"];

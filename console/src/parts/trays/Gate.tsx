/** How a gate stands, as it is drawn. */
export interface GateLook {
  /** The height it asks for, as a share of its tray's devices, 0 to 1. */
  asked: number;
  /** The height that is reached, likewise. */
  reached: number;
  kind: "closed" | "open" | "soaking" | "wants-approval" | "passed";
  /** How much of the soak is over, 0 to 1. */
  soaked: number;
  needsApproval: boolean;
}

/** The bar between two trays: its threshold at the height it asks for, its soak a filling clock, its approval a lock. */
export function Gate({ look, height, headSize = 20 }: { look: GateLook; height: number; headSize?: number }) {
  const width = 28;
  const top = headSize + 2;
  const bar = height - top;
  const y = (part: number) => top + bar - part * bar;
  return (
    <svg width={width} height={height + 2} viewBox={`0 0 ${width} ${height + 2}`} className={`gate gate-${look.kind}`} aria-hidden="true">
      <line className="gate-bar" x1={width / 2} x2={width / 2} y1={top} y2={height} />
      <line className="gate-reached" x1={width / 2} x2={width / 2} y1={y(Math.min(1, look.reached))} y2={height} />
      <line className="gate-asked" x1={width / 2 - 7} x2={width / 2 + 7} y1={y(look.asked)} y2={y(look.asked)} />
      <g transform={`translate(${width / 2 - headSize / 2} 0) scale(${headSize / 20})`}>
        <Head look={look} />
      </g>
    </svg>
  );
}

function Head({ look }: { look: GateLook }) {
  if (look.kind === "passed") {
    return (
      <>
        <circle className="gate-passed-head" cx="10" cy="10" r="9" />
        <path className="gate-check" d="M5.8 10.4l3 3 5.4-6" />
      </>
    );
  }
  if (look.kind === "wants-approval" || (look.needsApproval && look.kind !== "soaking")) {
    return (
      <>
        <path className="gate-lock-bow" d="M6 9V6.2a4 4 0 0 1 8 0V9" />
        <rect className="gate-lock" x="3.5" y="9" width="13" height="9.5" rx="2" />
      </>
    );
  }
  const turn = Math.min(0.9999, Math.max(0, look.soaked)) * 2 * Math.PI;
  const end = `${10 + 8 * Math.sin(turn)} ${10 - 8 * Math.cos(turn)}`;
  return (
    <>
      <circle className="gate-clock" cx="10" cy="10" r="9" />
      {look.soaked > 0 && <path className="gate-soak" d={`M10 10V2A8 8 0 ${turn > Math.PI ? 1 : 0} 1 ${end}Z`} />}
    </>
  );
}

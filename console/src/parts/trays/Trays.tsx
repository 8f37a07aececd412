import { useElementSize } from "@mantine/hooks";
import { useNow } from "@/api/clock";
import type { Schemas } from "@/api/request";
import { count, devices, HAS_AM_PM, moment } from "../format";
import { lookOf } from "../states";
import { Gate, type GateLook } from "./Gate";
import { GateWords } from "./GateWords";
import { widths } from "./layout";
import { Tray } from "./Tray";

export type Wave = Schemas["WaveInfo"];

const HEIGHT = 112;
const SMALL_HEIGHT = 34;

interface TraysProps {
  waves: readonly Wave[];
  onPick?: (wave: Wave, state?: string) => void;
}

/** A deployment as a row of trays with gates between them. */
export function Trays({ waves, onPick }: TraysProps) {
  const { ref, width } = useElementSize();
  const now = useNow();
  const gates = waves.filter((wave) => wave.gate).length;
  const gateWidth = 118;
  const each = widths(waves.map((wave) => wave.devices), Math.max(320, width - gates * gateWidth - 4), 92, (devices) => Math.ceil(devices / 4) * 24 + 16);
  return (
    <div ref={ref}>
      <div className="trays" tabIndex={0} role="group" aria-label="Waves">
        {width > 0 &&
          waves.map((wave, at) => (
            <section key={wave.name} style={{ display: "flex" }} aria-label={wave.name}>
              <div className="wave" style={{ width: each[at] }}>
                <div className="wave-name" title={wave.name}>
                  {wave.name}
                </div>
                <div className="wave-said" title={waveSaid(wave, now)}>
                  {waveSaid(wave, now, each[at]!)}
                </div>
                <Tray states={wave.states} width={each[at]!} height={HEIGHT} isOpen={wave.state !== "closed"} onPick={onPick && ((state) => onPick(wave, state))} />
                <WaveInWords wave={wave} onPick={onPick} />
              </div>
              {wave.gate && (
                <div className="gate-column" style={{ width: gateWidth }}>
                  <div style={{ height: 18 }} />
                  <GateWords wave={wave} next={waves[at + 1]} look={gateLook(wave, now)} height={HEIGHT + 28} said={gateSaid(wave, now)} />
                </div>
              )}
            </section>
          ))}
      </div>
    </div>
  );
}

/** What the drawing shows, as buttons and words: for who does not see it, and to open what is behind each state. */
function WaveInWords({ wave, onPick }: { wave: Wave; onPick?: TraysProps["onPick"] }) {
  return (
    <ul className="visually-hidden-until-focus">
      {wave.states.map((state) => (
        <li key={state.name}>
          <button type="button" className="copy" onClick={() => onPick?.(wave, state.name)}>
            {lookOf(state.name).word}: {devices(state.count)} in {wave.name}
          </button>
        </li>
      ))}
    </ul>
  );
}

/** The same drawing, small, for a line of a list. */
export function SmallTrays({ waves, width }: { waves: readonly Wave[]; width: number }) {
  const now = useNow();
  const gates = waves.filter((wave) => wave.gate).length;
  const each = widths(waves.map((wave) => wave.devices), width - gates * 28, 40, (devices) => Math.ceil(devices / 3) * 11 + 14);
  return (
    <div className="trays-small" role="img" aria-label={inWords(waves)}>
      {waves.map((wave, at) => (
        <div key={wave.name} style={{ display: "flex" }}>
          <Tray states={wave.states} width={each[at]!} height={SMALL_HEIGHT} isOpen={wave.state !== "closed"} largest={11} />
          {wave.gate && <Gate look={gateLook(wave, now)} height={SMALL_HEIGHT} headSize={13} />}
        </div>
      ))}
    </div>
  );
}

/** A row of trays in one sentence. */
export function inWords(waves: readonly Wave[]): string {
  return waves.map((wave) => `${wave.name}: ${wave.state === "closed" ? `${devices(wave.devices)}, closed` : wave.states.map((state) => `${count(state.count)} ${lookOf(state.name).word.toLowerCase()}`).join(", ")}`).join("; ");
}

export function gateLook(wave: Wave, now: number): GateLook {
  const all = Math.max(1, wave.devices);
  const [from, until] = [wave.reachedAt ? Date.parse(wave.reachedAt) : Number.NaN, wave.soakUntil ? Date.parse(wave.soakUntil) : Number.NaN];
  return {
    asked: (wave.needed ?? wave.bottom) / all,
    reached: wave.met / all,
    kind: wave.state as GateLook["kind"],
    soaked: wave.state === "soaking" && until > from ? (now - from) / (until - from) : 0,
    needsApproval: wave.needsApproval,
  };
}

/** A narrow tray says only its counts; the rest is in the title. */
function waveSaid(wave: Wave, now: number, width = 1000): string {
  if (wave.state === "closed") {
    if (width < 150) return count(wave.devices);
    return `${count(wave.devices)} · ${wave.opensAt && Date.parse(wave.opensAt) > now ? `not before ${moment(Date.parse(wave.opensAt), now)}` : "opens after the gate"}`;
  }
  return `${count(wave.met)} of ${count(wave.bottom)} met${wave.openedAt && width > (HAS_AM_PM ? 225 : 195) ? ` · open since ${moment(Date.parse(wave.openedAt), now)}` : ""}`;
}

function gateSaid(wave: Wave, now: number): string {
  switch (wave.state) {
    case "passed":
      return wave.passedAt ? `passed ${moment(Date.parse(wave.passedAt), now)}` : "passed";
    case "soaking":
      return wave.soakUntil ? `soak ends ${moment(Date.parse(wave.soakUntil), now)}` : "soaking";
    case "wants-approval":
      return "waits for approval";
    case "open":
      return `${count(wave.met)} there${wave.needsApproval ? ", then approval" : ""}`;
    default:
      return wave.needsApproval ? "then approval" : "";
  }
}

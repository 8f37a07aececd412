import { Popover } from "@mantine/core";
import { useState } from "react";
import { count, devices } from "../format";
import { Moment } from "../Moment";
import { Gate, type GateLook } from "./Gate";
import type { Wave } from "./Trays";

interface GateWordsProps {
  wave: Wave;
  next: Wave | undefined;
  look: GateLook;
  height: number;
  said: string;
}

/** A gate; behind it stand its sentence, what it comes to, how far it is, and what opens then. */
export function GateWords({ wave, next, look, height, said }: GateWordsProps) {
  const [isOpen, setIsOpen] = useState(false);
  return (
    <Popover opened={isOpen} onChange={setIsOpen} position="bottom" withArrow width={360} trapFocus={false}>
      <Popover.Target>
        <button type="button" className="gate-button" aria-expanded={isOpen} onClick={() => setIsOpen(!isOpen)}>
          <span className="visually-hidden">
            Gate behind {wave.name}: {wave.gate}.{" "}
          </span>
          <Gate look={look} height={height} headSize={22} />
          <span className="gate-said">
            <strong>{wave.needed == null ? wave.gate : `${count(wave.needed)} of ${count(wave.bottom)}`}</strong>
            <span>{said}</span>
          </span>
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <p>
          <strong>{wave.gate}</strong>
        </p>
        <dl className="facts" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)", marginTop: 6 }}>
          {wave.needed != null && (
            <>
              <dt>Needs</dt>
              <dd>
                {count(wave.needed)} of the {devices(wave.bottom)} that it counts
              </dd>
              <dt>Has</dt>
              <dd>
                {count(wave.met)} met{wave.met < wave.needed && `, ${count(wave.needed - wave.met)} more to go`}
              </dd>
            </>
          )}
          <dt>Failures</dt>
          <dd>
            {count(wave.failures)} of {count(wave.trials)} tried{wave.harms > 0 && `; ${count(wave.harms)} harm ${wave.harms === 1 ? "report" : "reports"}`}
          </dd>
          {wave.reachedAt && (
            <>
              <dt>Holds since</dt>
              <dd>
                <Moment at={wave.reachedAt} />
              </dd>
            </>
          )}
          {wave.soakUntil && (
            <>
              <dt>Soak ends</dt>
              <dd>
                <Moment at={wave.soakUntil} />
              </dd>
            </>
          )}
          <dt>{wave.passedAt ? "Passed" : "Then"}</dt>
          <dd>
            {wave.passedAt ? <Moment at={wave.passedAt} /> : next ? `${wave.needsApproval ? "somebody approves, and " : ""}${next.name} with ${devices(next.devices)} opens` : "it is done"}
            {!wave.passedAt && next?.opensAt && (
              <>
                , not before <Moment at={next.opensAt} />
              </>
            )}
          </dd>
        </dl>
      </Popover.Dropdown>
    </Popover>
  );
}

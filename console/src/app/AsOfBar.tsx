import { Button, Popover } from "@mantine/core";
import { Link, useLocation, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useNow } from "@/api/clock";
import { NOW, useAsOf, usePast } from "@/api/past";
import { fullMoment } from "@/parts/format";

/** The pages that can be shown as they were. */
const CAN = /^\/(compliance|(deployments|devices|groups)\/(?!new$)[^/]+)$/;
const DAY = 86_400_000;

/** Whether the page can be shown as it was. */
export function useCanBePast(): boolean {
  return CAN.test(useLocation().pathname);
}

/** Says loudly that a page does not show how it is now, and leads back. */
export function AsOfBar() {
  const asOf = useAsOf();
  const past = usePast();
  if (asOf === undefined) return null;
  return (
    <div className="past-bar" role="status">
      <strong>As it was{past === null ? "" : ` on ${fullMoment(past)}`}</strong>
      <span>This is not how it is now, and nothing can be done here.</span>
      <Choose word="Another moment" />
      <Link to="." search={(now: Record<string, string>) => ({ ...now, asOf: NOW })} className="past-back">
        Back to now
      </Link>
    </div>
  );
}

/** Chooses the moment as of which the page is shown. */
export function Choose({ word }: { word: string }) {
  const now = useNow();
  const past = usePast();
  const go = useNavigate();
  const [isOpen, setIsOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const at = new Date(typed);
  const isGood = typed !== "" && !Number.isNaN(at.getTime()) && at.getTime() <= now;
  function show(moment: number) {
    setIsOpen(false);
    void go({ to: ".", search: ((before: Record<string, string>) => ({ ...before, asOf: new Date(moment).toISOString() })) as never });
  }
  function open() {
    setTyped(local(past ?? now - DAY));
    setIsOpen(!isOpen);
  }
  return (
    <Popover opened={isOpen} onChange={setIsOpen} position="bottom-end" shadow="sm" trapFocus withinPortal>
      <Popover.Target>
        <button type="button" className="copy" style={{ fontSize: 14 }} aria-haspopup="dialog" aria-expanded={isOpen} onClick={open}>
          {word}
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <form
          className="form"
          onSubmit={(event) => {
            event.preventDefault();
            if (isGood) show(at.getTime());
          }}
        >
          <label>
            <span className="label">Show the page as it was on</span>
            <input type="datetime-local" className="mantine-Input-input past-input" value={typed} max={local(now)} onChange={(event) => setTyped(event.target.value)} />
          </label>
          {typed !== "" && !isGood && <p className="field-error" role="alert">Name a moment that has passed.</p>}
          <div className="chips">
            {([["An hour ago", DAY / 24], ["A day ago", DAY], ["A week ago", 7 * DAY], ["4 weeks ago", 28 * DAY]] as const).map(([name, ago]) => (
              <button key={name} type="button" className="chip" onClick={() => show(now - ago)}>
                {name}
              </button>
            ))}
          </div>
          <Button type="submit" variant="filled" disabled={!isGood}>
            Show it
          </Button>
        </form>
      </Popover.Dropdown>
    </Popover>
  );
}

/** A moment as the field for one takes it, in the reader's own time. */
function local(at: number): string {
  return new Date(at - new Date(at).getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

import type { Schemas } from "@/api/request";

const NAMES: Record<string, string> = { wish: "Wish", deadline: "Deadline", halt: "Halt", "on-halt": "On a halt", tries: "Tries", lease: "Lease", priority: "Priority", downgrade: "Newer versions", handling: "Handling", restart: "Restart", "start-when": "Starts", fetch: "Files", "at-once": "At once", wake: "Waking", calendars: "Calendars", "after-deadline": "After it", preset: "Preset", settings: "Settings" };

/** All that a deployment is asked for, as rows of a list of facts; what was chosen stands out from what is as usual. */
export function ChosenList({ chosen }: { chosen: readonly Schemas["ChosenInfo"][] }) {
  return (
    <>
      {chosen.map((each) => (
        <div key={each.name} style={{ display: "contents" }}>
          <dt>{NAMES[each.name] ?? each.name}</dt>
          <dd className={each.isUsual ? "quiet" : undefined}>{each.value}</dd>
        </div>
      ))}
    </>
  );
}

import { Button } from "@mantine/core";
import { type FormEvent, useState } from "react";
import type { EventQuery } from "@/parts/Events";

const FIELDS = [
  { name: "words", title: "Words in it", hint: "halted DESK-003" },
  { name: "by", title: "By", hint: "an account, or service" },
  { name: "from", title: "From", hint: "2026-11-03, or 3d" },
  { name: "to", title: "Up to", hint: "2026-11-30" },
  { name: "device", title: "Device", hint: "ALD-DESK-001" },
  { name: "group", title: "Group", hint: "its short name" },
  { name: "app", title: "App", hint: "its short name" },
  { name: "deployment", title: "Deployment", hint: "name or identity" },
  { name: "what", title: "What happened", hint: "halted, started" },
] as const;

/** How many fields stand there from the first. */
const ALWAYS = 4;

interface FindEventsProps {
  found: EventQuery;
  find: (query: EventQuery) => void;
}

/** Asks for what a person remembers of something that happened. */
export function FindEvents({ found, find }: FindEventsProps) {
  const [typed, setTyped] = useState<EventQuery>(found);
  const [isAll, setIsAll] = useState(FIELDS.slice(ALWAYS).some((field) => found[field.name]));
  function submit(event: FormEvent) {
    event.preventDefault();
    find(Object.fromEntries(Object.entries(typed).filter(([, value]) => value.trim() !== "").map(([name, value]) => [name, value.trim()])));
  }
  return (
    <form className="find-events" onSubmit={submit} role="search" aria-label="Find in the journal">
      {FIELDS.slice(0, isAll ? undefined : ALWAYS).map((field) => (
        <label key={field.name}>
          <span className="label">{field.title}</span>
          <input className="mantine-Input-input past-input" value={typed[field.name] ?? ""} placeholder={field.hint} onChange={(event) => setTyped({ ...typed, [field.name]: event.target.value })} />
        </label>
      ))}
      <div className="acts">
        <Button type="submit">Find</Button>
        {!isAll && (
          <button type="button" className="copy" onClick={() => setIsAll(true)}>
            By device, group, app …
          </button>
        )}
      </div>
    </form>
  );
}

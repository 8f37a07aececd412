import { Button, FileButton, SegmentedControl, Textarea, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { isStale, request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { devices } from "@/parts/format";
import { Leaving } from "@/parts/Leaving";
import { Meanwhile } from "@/parts/Meanwhile";

type Calendar = Schemas["CalendarInfo"];

interface Written {
  name: string;
  kind: string;
  when: string;
  zone: string;
  file: string | null;
}

function writtenOf(calendar: Calendar | null): Written {
  return { name: calendar?.name ?? "", kind: calendar?.kind ?? "window", when: calendar?.when ?? "", zone: calendar?.zone ?? "", file: null };
}

function bodyOf(written: Written): Schemas["CalendarRequest"] {
  return { name: written.name || null, kind: written.kind, when: written.file === null ? written.when || null : null, zone: written.file === null ? written.zone.trim() || null : null, file: written.file };
}

/** Makes a calendar (null), or changes one, with what it comes to beside it. */
export function CalendarForm({ calendar, close }: { calendar: Calendar | null; close: () => void }) {
  const [slug, setSlug] = useState(calendar?.slug ?? "");
  const [written, setWritten] = useState(writtenOf(calendar));
  const [first] = useState(written);
  const [revision, setRevision] = useState(calendar?.revision);
  const [theirs, setTheirs] = useState<Calendar | null>(null);
  const set = (change: Partial<Written>) => setWritten((now) => ({ ...now, ...change }));
  const [asked] = useDebouncedValue(written, 300);
  const check = useQuery({
    queryKey: keys.calendarCheck(bodyOf(asked)),
    queryFn: ({ signal }) => request("post", "/api/v1/calendars/check", { body: bodyOf(asked), signal }),
    enabled: asked.when.trim() !== "" || asked.file !== null,
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => request("put", "/api/v1/calendars/{slug}", { path: { slug }, body: bodyOf(written), revision }),
    onSuccess: close,
    onError: async (error) => setTheirs(calendar && isStale(error) ? await request("get", "/api/v1/calendars/{slug}", { path: { slug } }) : null),
  });
  const says = check.data && !check.error && asked === written ? check.data : null;
  return (
    <form className="form sheet pad" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      <Leaving isDirty={written !== first && !save.isSuccess} what="this calendar" />
      <div className="pair">
        <TextInput label="Name" value={written.name} onChange={(event) => set({ name: event.currentTarget.value })} />
        <TextInput label="Short name" value={slug} disabled={calendar !== null} required onChange={(event) => setSlug(event.currentTarget.value)} />
      </div>
      <SegmentedControl aria-label="Kind" value={written.kind} onChange={(kind) => set({ kind })} data={[{ value: "window", label: "Window: devices may be changed then" }, { value: "freeze", label: "Freeze: nothing starts then" }]} />
      {written.file === null ? (
        <div className="pair">
          <Textarea
            label="When"
            description="Fri 20:00-23:00 · Mon-Thu 22:00-04:00 · third Saturday 22:00 for 6h · 2026-12-20 to 2027-01-03; a semicolon between several"
            autosize
            value={written.when}
            placeholder={calendar && !calendar.when ? "its file says it; write here to put words in its place" : "Mon-Fri 20:00-23:00"}
            onChange={(event) => set({ when: event.currentTarget.value })}
          />
          <TextInput label="Clocks" description="A time zone such as Europe/Lisbon; empty for each device's own" placeholder="each device's own" value={written.zone} onChange={(event) => set({ zone: event.currentTarget.value })} />
        </div>
      ) : (
        <p>
          Its times are those of the file. <Button size="compact-sm" onClick={() => set({ file: null })}>Write them in words instead</Button>
        </p>
      )}
      <div className="acts">
        <FileButton accept="text/calendar,.ics" onChange={(file) => void file?.text().then((text) => set({ file: text }))}>
          {(props) => <Button {...props}>Take an iCalendar file…</Button>}
        </FileButton>
      </div>
      {says && (
        <div role="status" className="note" style={{ margin: 0 }}>
          <p>
            <strong>{says.says}</strong> {says.next.length > 0 ? `Next${says.next[0]!.zone ? `, by clocks in ${says.next[0]!.zone}` : ", by each device's own clocks"}:` : "Its times are over."}
            {says.next.slice(0, 4).map((time) => (
              <span key={time.from} style={{ display: "block" }}>{words(time.from)} to {words(time.to)}</span>
            ))}
          </p>
        </div>
      )}
      {theirs && (
        <Meanwhile
          what="this calendar"
          says={`It says now: ${theirs.says}`}
          takeTheirs={() => { setWritten(writtenOf(theirs)); setRevision(theirs.revision); setTheirs(null); save.reset(); }}
          keepMine={() => { setRevision(theirs.revision); setTheirs(null); save.reset(); }}
        />
      )}
      {!theirs && (save.error ?? check.error) && <ErrorNote error={save.error ?? check.error} />}
      <div className="acts">
        <Button type="submit" variant="filled" loading={save.isPending} disabled={slug === "" || (says === null && (written.when !== "" || written.file !== null || calendar === null))}>
          {calendar ? `Change the calendar${calendar.devices > 0 ? `, for ${devices(calendar.devices)}` : ""}` : "Make the calendar"}
        </Button>
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}

/** A time as clocks show it, such as `Fri 4 Dec 20:00`. */
function words(wall: string): string {
  const at = new Date(wall);
  return `${at.toLocaleDateString("en-GB", { weekday: "short", day: "numeric", month: "short", year: "numeric" })} ${wall.slice(11, 16)}`;
}

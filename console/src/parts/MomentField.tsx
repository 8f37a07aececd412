import { TextInput } from "@mantine/core";
import { useNow } from "@/api/clock";
import { duration } from "./format";

interface MomentFieldProps {
  label: string;
  /** What it is for; below it stands how far off it is, and in which zone. */
  description?: string;
  /** As the browser's field for moments writes it, in the reader's own zone; empty for none. */
  value: string;
  onChange: (value: string) => void;
}

/** The reader's zone by its name. */
export const ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** Whether what is written in a field is over already. */
export function isPast(value: string, now: number): boolean {
  return Date.parse(value) <= now;
}

/** A moment that is still to come, with its zone and how far off it is. */
export function MomentField({ label, description, value, onChange }: MomentFieldProps) {
  const now = useNow();
  const at = Date.parse(value);
  const said = !(at > now) ? ZONE : `${ZONE}, in ${duration(at - now)}`;
  return <TextInput type="datetime-local" label={label} description={description ? `${description} · ${said}` : said} error={isPast(value, now) && "That is over already"} value={value} onChange={(event) => onChange(event.currentTarget.value)} />;
}

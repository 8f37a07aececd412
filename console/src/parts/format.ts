const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

const numbers = new Intl.NumberFormat();
const clockTime = new Intl.DateTimeFormat(undefined, { hour: "2-digit", minute: "2-digit" });
const weekday = new Intl.DateTimeFormat(undefined, { weekday: "short" });
const day = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short" });
const dayOfYear = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short", year: "numeric" });
const whole = new Intl.DateTimeFormat(undefined, { dateStyle: "full", timeStyle: "long" });

/** Whether the reader's clock has AM and PM, which take room. */
export const HAS_AM_PM = clockTime.resolvedOptions().hour12 === true;

/** Room for a moment in a column. */
export const MOMENT_WIDTH = HAS_AM_PM ? "134px" : "104px";

/** A number by the reader's locale. */
export function count(value: number): string {
  return numbers.format(value);
}

/** `1 device`, `12 devices`. */
export function devices(value: number): string {
  return `${count(value)} ${value === 1 ? "device" : "devices"}`;
}

/** What came of asking for another try, with those that get none. */
export function retried(answer: { devices: number; not?: readonly { reason: string; count: number; sample: readonly string[] }[] | null }): string {
  const not = (answer.not ?? []).map((each) => ` Not ${each.count === 1 ? each.sample[0] : `${devices(each.count)} (${each.sample.slice(0, 3).join(", ")}${each.count > 3 ? ", …" : ""})`}: ${each.reason}`);
  return `${devices(answer.devices)} ${answer.devices === 1 ? "tries" : "try"} again.${not.join("")}`;
}

/** `96 % · 403 of 420`; of nothing, only that. A share never rounds up to all or down to none. */
export function share(part: number, all: number): string {
  return all === 0 ? "none of 0" : `${percent(part, all)} · ${count(part)} of ${count(all)}`;
}

/** `96 %`. Never 100 % or 0 % while one is missing or there. */
export function percent(part: number, all: number): string {
  if (all === 0) return "–";
  const exact = (part / all) * 100;
  const shown = part === all ? 100 : part === 0 ? 0 : Math.min(99, Math.max(1, Math.round(exact)));
  return `${shown} %`;
}

/** A length of time in at most two parts: `3 h 10 min`. */
export function duration(milliseconds: number): string {
  const length = Math.abs(milliseconds);
  if (length < MINUTE) return `${Math.floor(length / 1000)} s`;
  if (length < HOUR) return `${Math.floor(length / MINUTE)} min`;
  if (length < DAY) return two(Math.floor(length / HOUR), "h", Math.floor((length % HOUR) / MINUTE), "min");
  return two(Math.floor(length / DAY), "d", length < 10 * DAY ? Math.floor((length % DAY) / HOUR) : 0, "h");
}

function two(large: number, largeUnit: string, small: number, smallUnit: string): string {
  return small === 0 ? `${large} ${largeUnit}` : `${large} ${largeUnit} ${small} ${smallUnit}`;
}

/** `in 3 h 10 min`, `3 h ago`, `now`. */
export function relative(at: number, now: number): string {
  const away = at - now;
  if (Math.abs(away) < 5_000) return "now";
  return away > 0 ? `in ${duration(away)}` : `${duration(away)} ago`;
}

/** The moment itself, as short as it stays clear: `21:00` today, `Tue 21:00` within a week, else the day. No line ends within it. */
export function moment(at: number, now: number): string {
  return said(at, now).replaceAll(" ", "\u00a0");
}

function said(at: number, now: number): string {
  const date = new Date(at);
  if (sameDay(at, now)) return clockTime.format(date);
  if (Math.abs(at - now) < 6 * DAY) return `${weekday.format(date)} ${clockTime.format(date)}`;
  return `${(Math.abs(at - now) > 300 * DAY ? dayOfYear : day).format(date)}, ${clockTime.format(date)}`;
}

function sameDay(a: number, b: number): boolean {
  return new Date(a).toDateString() === new Date(b).toDateString();
}

/** The moment with its zone, for who points at it. */
export function fullMoment(at: number): string {
  return whole.format(new Date(at));
}

/** `188 MB`, by powers of 1024 where asked for memory. */
export function bytes(value: number): string {
  for (const [unit, size] of [["GB", 1e9], ["MB", 1e6], ["kB", 1e3]] as const) {
    if (value >= size) return `${numbers.format(Number((value / size).toPrecision(3)))} ${unit}`;
  }
  return `${numbers.format(value)} B`;
}

/** Quotes a word for a shell where it must be. */
export function quoted(word: string): string {
  if (/^[\w.,:/@%+=-]+$/.test(word)) return word;
  return /["\\$`!]/.test(word) ? `'${word.replace(/'/g, "'\\''")}'` : `"${word}"`;
}

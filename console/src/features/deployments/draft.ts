import { ZONE } from "@/parts/MomentField";
import type { Schemas } from "@/api/request";
import { quoted } from "@/parts/format";
import { hasTwins, type WaveDraft } from "@/parts/WavesEditor";

/** A deployment while it is written; empty texts leave what the service would choose. */
export interface Draft {
  package: string;
  name: string;
  wish: "have" | "choice" | "gone";
  groups: string[];
  except: string[];
  waves: WaveDraft[];
  hasTimes: boolean;
  halt: string;
  deadline: string;
  tries: number;
  retryPause: string;
  lease: string;
  priority: number;
  /** What the deadline does to devices that are unmet: late, start outside their windows, or close programs in the way as well. */
  afterDeadline: string;
  /** So long before that whoever is signed in is told; empty for the usual. */
  notice: string;
  /** Calendars of its own, by short name. */
  calendars: string[];
  /** What must be so on a device, as a sentence; empty for nothing. */
  startWhen: string;
  /** How its files are fetched, as a sentence; empty for as fast as it goes, but over no metered link. */
  fetch: string;
  /** Devices that sleep are woken when their window opens. */
  wake: boolean;
  /** How many devices of a site are changed at once, as "3 of a site"; empty for any number. */
  atOnce: string;
  /** When devices that need a restart are restarted, as a sentence; empty leaves it to people. */
  restart: string;
  rollBackOnHalt: boolean;
  allowDowngrade: boolean;
  endWhenReplaced: boolean;
  preset: string;
  /** A kept handling; empty for the app's own, none for as the package has it. */
  handling: string;
  /** Values by the names of settings; what has none is the preset's, or the default. */
  settings: Record<string, string>;
}

export function emptyDraft(from: { package?: string; wish?: string; groups?: string }): Draft {
  return {
    package: from.package ?? "",
    name: "",
    wish: from.wish === "gone" || from.wish === "choice" ? from.wish : "have",
    groups: (from.groups ?? "").split(",").filter(Boolean),
    except: [],
    waves: [
      { name: "Pilots", pick: "5 %", gate: "100 % met for 1 d, then approval", opensAt: "", hours: "", due: "" },
      { name: "Everyone else", pick: "everyone else", gate: "", opensAt: "", hours: "", due: "" },
    ],
    hasTimes: false,
    halt: "",
    deadline: "",
    afterDeadline: "late",
    notice: "",
    calendars: [],
    restart: "",
    startWhen: "",
    fetch: "",
    atOnce: "",
    wake: false,
    tries: 3,
    retryPause: "",
    lease: "",
    priority: 0,
    rollBackOnHalt: false,
    allowDowngrade: false,
    endWhenReplaced: false,
    preset: "",
    handling: "",
    settings: {},
  };
}

/** Whether enough is chosen to ask whom it would reach. */
export function isComplete(draft: Draft): boolean {
  return draft.package !== "" && draft.groups.length > 0 && draft.waves.every((wave) => wave.pick.trim() !== "" && wave.name.trim() !== "") && !hasTwins(draft.waves);
}

export function requestOf(draft: Draft): Schemas["DeploymentRequest"] {
  return {
    package: draft.package,
    groups: draft.groups,
    except: draft.except,
    waves: draft.waves.map((wave) => ({ name: wave.name.trim(), pick: wave.pick.trim(), gate: wave.gate.trim() || null, opensAt: draft.hasTimes ? instant(wave.opensAt) : null, hours: draft.hasTimes ? inZone(wave.hours) : null, deadline: draft.hasTimes ? wave.due.trim() || null : null })),
    name: draft.name.trim() || null,
    wish: draft.wish,
    halt: draft.halt.trim() || null,
    rollBackOnHalt: draft.rollBackOnHalt,
    deadline: instant(draft.deadline),
    afterDeadline: hasDeadline(draft) ? draft.afterDeadline : "late",
    notice: actsAfterDeadline(draft) ? draft.notice.trim() || null : null,
    calendars: draft.calendars.length > 0 ? draft.calendars : null,
    restart: draft.restart.trim() || null,
    startWhen: draft.startWhen.trim() || null,
    fetch: draft.fetch.trim() || null,
    atOnce: draft.atOnce.trim() || null,
    wake: draft.wake,
    tries: draft.tries,
    retryPause: draft.retryPause.trim() || null,
    lease: draft.lease.trim() || null,
    priority: draft.priority,
    allowDowngrade: draft.allowDowngrade,
    endWhenReplaced: draft.endWhenReplaced,
    settings: draft.wish === "gone" || chosen(draft).length === 0 ? null : Object.fromEntries(chosen(draft)),
    preset: draft.wish === "gone" ? null : draft.preset || null,
    handling: draft.handling || null,
  };
}

/** Whether there is a moment after which devices are late. */
export function hasDeadline(draft: Draft): boolean {
  return draft.deadline !== "" || (draft.hasTimes && draft.waves.some((wave) => wave.due.trim() !== ""));
}

/** Whether anything but being late comes of it. */
export function actsAfterDeadline(draft: Draft): boolean {
  return hasDeadline(draft) && draft.afterDeadline !== "late";
}

function chosen(draft: Draft): [string, string][] {
  return Object.entries(draft.settings).filter(([, value]) => value !== "");
}

/** The moment of a browser's field, which is in the reader's own zone, as an instant. */
function instant(field: string): string | null {
  const at = Date.parse(field);
  return Number.isNaN(at) ? null : new Date(at).toISOString();
}

/** Hours as they are asked for: by the reader's own clocks, unless they name a zone. */
function inZone(hours: string): string | null {
  const written = hours.trim();
  return written === "" || / in /i.test(written) ? written || null : `${written} in ${ZONE}`;
}

/** The command that starts the same. Secrets are not in it. */
export function commandOf(draft: Draft, secrets: readonly string[] = []): string {
  const words = ["bandejo deployment start", quoted(draft.package || "APP"), "--to", draft.groups.map(quoted).join(" ") || "GROUP"];
  if (draft.except.length > 0) words.push("--except", draft.except.map(quoted).join(" "));
  for (const wave of draft.waves) words.push("--wave", single(waveOf(wave, draft.hasTimes)));
  if (draft.wish !== "have") words.push(`--${draft.wish}`);
  if (draft.name) words.push("--name", quoted(draft.name));
  if (draft.halt) words.push("--halt", quoted(draft.halt));
  if (draft.rollBackOnHalt) words.push("--roll-back-on-halt");
  if (draft.deadline) words.push("--deadline", instant(draft.deadline) ?? "");
  if (actsAfterDeadline(draft)) words.push("--after-deadline", draft.afterDeadline);
  if (actsAfterDeadline(draft) && draft.notice.trim()) words.push("--notice", quoted(draft.notice.trim()));
  if (draft.calendars.length > 0) words.push("--calendar", draft.calendars.map(quoted).join(" "));
  if (draft.startWhen.trim()) words.push("--start-when", quoted(draft.startWhen.trim()));
  if (draft.fetch.trim()) words.push("--fetch", quoted(draft.fetch.trim()));
  if (draft.atOnce.trim()) words.push("--at-once", quoted(draft.atOnce.trim()));
  if (draft.wake) words.push("--wake");
  if (draft.restart.trim()) words.push("--restart", quoted(draft.restart.trim()));
  if (draft.tries !== 3) words.push("--tries", String(draft.tries));
  if (draft.retryPause) words.push("--retry-pause", draft.retryPause);
  if (draft.lease) words.push("--lease", draft.lease);
  if (draft.priority !== 0) words.push("--priority", String(draft.priority));
  if (draft.allowDowngrade) words.push("--allow-downgrade");
  if (draft.endWhenReplaced) words.push("--end-when-replaced");
  if (draft.handling) words.push("--handling", draft.handling);
  if (draft.wish !== "gone") {
    if (draft.preset) words.push("--preset", quoted(draft.preset));
    for (const [name, value] of chosen(draft)) words.push("--setting", secrets.includes(name) ? `${name}=@FILE` : quoted(`${name}=${value}`));
  }
  return words.join(" ");
}

/** A wave as the command line writes it. */
function waveOf(wave: WaveDraft, hasTimes: boolean): string {
  const name = /[:;]/.test(wave.name) ? `"${wave.name.trim()}"` : wave.name.trim();
  const opens = hasTimes ? instant(wave.opensAt) : null;
  const hours = hasTimes ? inZone(wave.hours) : null;
  return `${name}: ${wave.pick.trim()}${wave.gate.trim() ? `; ${wave.gate.trim()}` : ""}${opens ? `; not before ${opens}` : ""}${hours ? `; opens ${hours}` : ""}${hasTimes && wave.due.trim() ? `; due ${wave.due.trim()}` : ""}`;
}

function single(text: string): string {
  return `'${text.replace(/'/g, "'\\''")}'`;
}

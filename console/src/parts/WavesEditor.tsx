import { Autocomplete, Button, TextInput } from "@mantine/core";
import { MomentField, ZONE } from "./MomentField";

/** A wave while it is written. */
export interface WaveDraft {
  name: string;
  pick: string;
  gate: string;
  /** As the browser's field for moments writes it; empty for none. */
  opensAt: string;
  /** The hours in which it opens, as they are written; empty for any. */
  hours: string;
  /** When its devices are late, as it is written; empty for as the deployment says. */
  due: string;
  /** Tells it from the others while it is written, whatever it is called and wherever it stands. */
  id?: number;
}

let given = 0;

/** Whether two waves are called the same. */
export function hasTwins(waves: readonly WaveDraft[]): boolean {
  return new Set(waves.map((wave) => wave.name.trim().toLowerCase())).size < waves.length;
}

/** A name that no wave has yet. */
function freeName(waves: readonly WaveDraft[]): string {
  for (let number = waves.length; ; number++) if (!waves.some((wave) => wave.name.trim().toLowerCase() === `wave ${number}`)) return `Wave ${number}`;
}

interface WavesEditorProps {
  waves: readonly WaveDraft[];
  onChange: (waves: WaveDraft[]) => void;
  /** Groups that a wave may pick by. */
  groups: readonly { slug: string }[];
  /** Whether waves open at set times. */
  hasTimes?: boolean;
  /** Whether they open in set hours. */
  hasHours?: boolean;
  /** What each wave comes to, in its order. */
  said?: readonly (string | null)[];
}

const GATES = ["100 % met", "95 % met for 1 d", "95 % met for 2 d, then approval", "90 % met, silent left out after 3 d", "80 % met for 4 h, at most 1 harm report"];

const HOURS = ["Mon-Thu 08:00-16:00", "Mon-Fri 18:00-23:00", "third week Mon-Thu 08:00-16:00"];

const DUES = ["2 d after it opens", "7 d after it opens"];

/** Waves with their gates, as sentences. The last has no gate. */
export function WavesEditor({ waves, onChange, groups, hasTimes, hasHours, said }: WavesEditorProps) {
  for (const wave of waves) wave.id ??= ++given;
  const set = (at: number, change: Partial<WaveDraft>) => onChange(waves.map((wave, each) => (each === at ? { ...wave, ...change } : wave)));
  return (
    <fieldset className="waves-editor">
      <legend className="label">Waves</legend>
      {waves.map((wave, at) => {
        const isLast = at === waves.length - 1;
        return (
          <div key={wave.id} className="wave-draft">
            <TextInput label={`Wave ${at + 1}`} placeholder="Name" value={wave.name} error={waves.some((other, each) => each < at && other.name.trim().toLowerCase() === wave.name.trim().toLowerCase()) && "Another wave is called so"} onChange={(event) => set(at, { name: event.currentTarget.value })} />
            <Autocomplete label="Picks" value={wave.pick} onChange={(pick) => set(at, { pick })} data={["5 %", "20 %", "10 devices", "everyone else", ...groups.map((group) => `group ${group.slug}`)]} />
            {isLast ? <div className="quiet wave-last">the last wave has no gate</div> : <Autocomplete label="Gate" value={wave.gate} onChange={(gate) => set(at, { gate })} data={GATES} />}
            <Button aria-label={`Take wave ${at + 1} out`} disabled={waves.length === 1} onClick={() => onChange(waves.filter((_, each) => each !== at).map((each, place, all) => (place === all.length - 1 ? { ...each, gate: "" } : each)))}>
              Out
            </Button>
            {(hasTimes || hasHours) && (
              <div className="wave-opens">
                {hasTimes && <MomentField label="Not before" value={wave.opensAt} onChange={(opensAt) => set(at, { opensAt })} />}
                {hasHours && <Autocomplete label="Opens in these hours" description={ZONE} placeholder="at any hour" value={wave.hours} onChange={(hours) => set(at, { hours })} data={HOURS} />}
                <Autocomplete label="Late" description="In the place of the deadline" placeholder="as the deployment says" value={wave.due} onChange={(due) => set(at, { due })} data={DUES} />
              </div>
            )}
            {said?.[at] && <div className="wave-arithmetic">{said[at]}</div>}
          </div>
        );
      })}
      <Button onClick={() => onChange([...waves.slice(0, -1), { name: freeName(waves), pick: "20 %", gate: "95 % met for 1 d", opensAt: "", hours: "", due: "" }, waves.at(-1)!])}>Add a wave</Button>
    </fieldset>
  );
}

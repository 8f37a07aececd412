import { Checkbox, TextInput } from "@mantine/core";
import { useState } from "react";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { bytes, count } from "@/parts/format";

type Thing = Schemas["CapturedThing"];

const MOST = 400;
const WHY: Record<string, string> = {
  changed: "was there before; overwriting it takes away what others wrote",
  user: "lies in a person's own folder, which another device does not have",
  needed: "belongs to what it needs first",
  noise: "is written by any install",
  accounts: "has nothing new but the users and groups above",
  other: "is a pipe, a socket or a device",
};

/** What was captured on another machine, with ticks for what the package takes. */
export function CaptureView({ draft, capture, changed }: { draft: string; capture: Schemas["BenchCaptureInfo"]; changed: (draft: Schemas["BenchDraft"]) => void }) {
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setIsBusy] = useState(false);
  const [words, setWords] = useState("");
  const taken = capture.things.filter((thing) => thing.isTaken);
  const shown = capture.things.filter((thing) => thing.path.toLowerCase().includes(words.toLowerCase()));

  async function take(things: readonly Thing[], isTaken: boolean) {
    const paths = new Set(taken.map((thing) => thing.path));
    for (const thing of things) {
      if (isTaken) paths.add(thing.path);
      else paths.delete(thing.path);
    }
    setIsBusy(true);
    setError(null);
    try {
      changed(await request("put", "/api/v1/bench/{draft}/capture", { path: { draft }, body: { taken: [...paths] } }));
    } catch (refused) {
      setError(refused);
    } finally {
      setIsBusy(false);
    }
  }

  return (
    <section className="section">
      <h2>Captured</h2>
      <p className="quiet" style={{ marginBottom: 12 }}>
        {`${count(taken.length)} of ${count(capture.count)} things are taken, ${bytes(taken.reduce((sum, thing) => sum + thing.size, 0))}. A tick changes what the package puts in place; a device proves only what is taken.`}
      </p>
      {error !== null && <ErrorNote error={error} />}
      <TextInput aria-label="Find a path" placeholder="Part of a path" value={words} onChange={(event) => setWords(event.currentTarget.value)} style={{ maxWidth: 360, marginBottom: 8 }} />
      <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr>
              <th>
                <Checkbox
                  aria-label="All that is shown"
                  disabled={isBusy}
                  checked={shown.length > 0 && shown.every((thing) => thing.isTaken || !thing.canBeTaken)}
                  onChange={(event) => void take(shown.filter((thing) => thing.canBeTaken), event.currentTarget.checked)}
                />
              </th>
              <th>Path</th>
              <th>What it is</th>
              <th className="number">Size</th>
              <th>Left out because it</th>
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, MOST).map((thing) => (
              <tr key={`${thing.kind} ${thing.path}`}>
                <td>
                  <Checkbox aria-label={thing.path} disabled={isBusy || !thing.canBeTaken} checked={thing.isTaken} onChange={(event) => void take([thing], event.currentTarget.checked)} />
                </td>
                <td className="mono">{thing.path}</td>
                <td>{thing.says}</td>
                <td className="number">{thing.size > 0 ? bytes(thing.size) : ""}</td>
                <td className="quiet">{thing.leftOut ? (WHY[thing.leftOut] ?? thing.leftOut) : ""}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {shown.length > MOST && <p className="quiet">{`${count(shown.length - MOST)} more; say a part of the path to find them.`}</p>}
    </section>
  );
}

import { NativeSelect } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote } from "@/parts/ErrorNote";
import { count } from "@/parts/format";

interface AfterProps {
  found: Schemas["BenchDraft"];
  changed: (draft: Schemas["BenchDraft"]) => void;
}

/** The version before: whose choices the draft could keep, or what changed since. */
export function AfterView({ found, changed }: AfterProps) {
  return found.after ? <Changes after={found.after} /> : found.earlier.length > 0 ? <Offer found={found} changed={changed} /> : null;
}

function Offer({ found, changed }: AfterProps) {
  const { forbidden } = useSession();
  const [chosen, setChosen] = useState(found.earlier[0]!.digest);
  const keeps = useMutation({
    mutationFn: () => request("post", "/api/v1/bench/{draft}/after", { path: { draft: found.draft.id }, body: { package: chosen } }),
    onSuccess: changed,
  });
  const name = (of: Schemas["PackageInfo"]) => `${of.name} ${of.version}`;
  const only = found.earlier.length === 1 ? found.earlier[0]! : null;
  return (
    <>
      <div className="note">
        <p>
          <strong>{only ? `${name(only)} is` : `${count(found.earlier.length)} packages of it are`} in the catalogue.</strong> This draft can keep the choices of the version before: switches, rules, limits, proof. The manifest below is
          written anew for it, and what changed is shown.
        </p>
        {!only && <NativeSelect aria-label="The version before" value={chosen} onChange={(event) => setChosen(event.currentTarget.value)} data={found.earlier.map((each) => ({ value: each.digest, label: name(each) }))} />}
        <Act forbidden={forbidden("POST /api/v1/bench/{draft}/after")} loading={keeps.isPending} onClick={() => keeps.mutate()}>
          {only ? `Keep the choices of ${only.version}` : "Keep its choices"}
        </Act>
      </div>
      {keeps.error && <ErrorNote error={keeps.error} />}
    </>
  );
}

function Changes({ after }: { after: Schemas["BenchAfterInfo"] }) {
  const again = after.changes.filter((change) => change.look !== "").length;
  const files = new Set(after.changes.map((change) => change.file)).size;
  const summary = after.changes.length === 0 ? "Nothing that can be read has changed." : again === 0 ? "The draft follows all of it." : `${count(again)} of ${count(after.changes.length)} must be looked at again.`;
  return (
    <section className="section" aria-label="Changes">
      <h2>
        Since <Link to="/packages/$digest" params={{ digest: after.package }}>{after.name}</Link> <span className="quiet">{summary} Every other choice of it is kept.</span>
      </h2>
      {after.changes.length > 0 && (
        <div className="sheet scroll-x">
          <table className="plain">
            <thead>
              <tr>
                {files > 1 && <th>File</th>}
                <th>What</th>
                <th>Was</th>
                <th>Is</th>
                <th>Look again</th>
              </tr>
            </thead>
            <tbody>
              {[...after.changes].sort((a, b) => Number(a.look === "") - Number(b.look === "")).map((change) => (
                <tr key={`${change.file} ${change.what} ${change.before} ${change.after}`}>
                  {files > 1 && <td className="mono">{change.file}</td>}
                  <td>{change.look !== "" && <span aria-hidden="true">! </span>}{change.what}</td>
                  <td className="mono">{change.before || <span className="quiet">none</span>}</td>
                  <td className="mono">{change.after || <span className="quiet">none</span>}</td>
                  <td>{change.look || <span className="quiet">the draft follows</span>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

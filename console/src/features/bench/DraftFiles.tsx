import type { Schemas } from "@/api/request";
import { request } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { bytes } from "@/parts/format";
import { useState } from "react";
import { DropPlace } from "./DropPlace";
import { useSending } from "./useSending";

interface DraftFilesProps {
  draft: string;
  files: readonly Schemas["BenchFileInfo"][];
  changed: (draft: Schemas["BenchDraft"]) => void;
}

/** The files of a draft; more can be dropped beside them. */
export function DraftFiles({ draft, files, changed }: DraftFilesProps) {
  const sending = useSending();
  const [error, setError] = useState<unknown>(null);
  const path = { draft };
  const again = async () => changed(await request("get", "/api/v1/bench/{draft}", { path }));
  const remove = async (file: string) => {
    try {
      changed(await request("delete", "/api/v1/bench/{draft}/files", { path, query: { path: file } }));
    } catch (refused) {
      setError(refused);
    }
  };
  return (
    <section className="section">
      <h2>Files</h2>
      {files.length > 0 && (
        <div className="sheet scroll-x">
          <table className="plain">
            <thead>
              <tr>
                <th>File</th>
                <th>What it is</th>
                <th className="number">Size</th>
                <th>SHA-256</th>
                <th><span className="visually-hidden">Act</span></th>
              </tr>
            </thead>
            <tbody>
              {files.map((file) => (
                <tr key={file.path}>
                  <td className="mono">{file.path}</td>
                  <td>{file.inspection?.kind ?? <span className="quiet">a file beside it</span>}</td>
                  <td className="number">{bytes(file.size)}</td>
                  <td className="mono">{file.sha256 ? `${file.sha256.slice(0, 12)}…` : <span className="quiet">{bytes(file.arrived)} arrived</span>}</td>
                  <td className="number">
                    <button type="button" className="copy" onClick={() => void remove(file.path)} aria-label={`Take out ${file.path}`}>
                      Take out
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <DropPlace take={(dropped) => void sending.send(draft, dropped).then(again)} busy={sending.busy}>
        <span className="quiet">Another architecture of the same software, a transform, a script, a licence file.</span>
      </DropPlace>
      {(error ?? sending.error) !== null && <ErrorNote error={error ?? sending.error} />}
    </section>
  );
}

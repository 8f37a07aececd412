import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { ErrorNote } from "@/parts/ErrorNote";
import { bytes, count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { isGone, NotYet } from "@/parts/NotYet";
import { Empty, Page } from "@/parts/Page";
import { DropPlace } from "./DropPlace";
import { useSending } from "./useSending";

const lead = "Drop an installer: it is read, never run, and becomes a first manifest.";
const crumbs = [{ name: "Apps", to: "/apps" }];

/** The bench: where an installer becomes a package. */
export default function BenchPage() {
  const queries = useQueryClient();
  const go = useNavigate();
  const { forbidden } = useSession();
  const sending = useSending();
  const [error, setError] = useState<unknown>(null);
  const why = forbidden("POST /api/v1/bench");
  const drafts = useQuery({ queryKey: keys.bench, queryFn: ({ signal }) => request("get", "/api/v1/bench", { signal }), enabled: why === null });
  if (why) return <Page title="Bench" crumbs={crumbs} lead={lead}><Empty title="You may not build packages">{why}</Empty></Page>;
  if (!drafts.data || isGone(drafts)) return <NotYet query={drafts} title="Bench" what="bench" crumbs={crumbs} />;

  async function take(files: readonly File[]) {
    if (files.length === 0) return;
    try {
      const draft = await request("post", "/api/v1/bench");
      const isWhole = await sending.send(draft.id, files);
      await queries.invalidateQueries({ queryKey: keys.bench });
      if (isWhole) await go({ to: "/bench/$draft", params: { draft: draft.id } });
    } catch (refused) {
      setError(refused);
    }
  }

  return (
    <Page title="Bench" crumbs={crumbs} lead={lead} command="bandejo package inspect FILE --draft FOLDER">
      <div className="section">
        <DropPlace take={(files) => void take(files)} busy={sending.busy}>
          <strong>Drop installer files here</strong>
          <p className="quiet">Windows Installer databases, Windows programs, MSIX, Debian and RPM packages, cabinets, ZIP and tar archives, AppImages, shell archives, macOS packages, and captures of what was installed by hand. Several files of the same software become variants of one package.</p>
        </DropPlace>
        {(error ?? sending.error) !== null && <ErrorNote error={error ?? sending.error} />}
      </div>
      <section className="section">
        <h2>On the bench</h2>
        {drafts.data.length === 0 ? (
          <Empty title="Nothing is on the bench">What is dropped stays here until it is built and cleared away.</Empty>
        ) : (
          <div className="sheet scroll-x">
            <table className="plain">
              <thead>
                <tr>
                  <th>Draft</th>
                  <th>Files</th>
                  <th className="number">Size</th>
                  <th>Begun</th>
                  <th>Built</th>
                </tr>
              </thead>
              <tbody>
                {drafts.data.map((draft) => (
                  <tr key={draft.id}>
                    <td>
                      <Link to="/bench/$draft" params={{ draft: draft.id }}>
                        <strong>{draft.name}</strong>
                      </Link>
                    </td>
                    <td>{count(draft.files)}</td>
                    <td className="number">{bytes(draft.size)}</td>
                    <td>
                      {draft.by}, <Moment at={draft.at} />
                    </td>
                    <td>{draft.package ? <Link to="/packages/$digest" params={{ digest: draft.package }}>package</Link> : <span className="quiet">not yet</span>}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </section>
    </Page>
  );
}

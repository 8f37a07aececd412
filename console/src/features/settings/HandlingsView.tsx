import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Empty, Loading } from "@/parts/Page";
import { HandlingForm } from "./HandlingForm";

type Handling = Schemas["HandlingInfo"];

/** How attempts behave, kept by name for any package. */
export function HandlingsView() {
  const { forbidden } = useSession();
  const [edited, setEdited] = useState<Handling | "new" | null>(null);
  const [question, setQuestion] = useState<Question | null>(null);
  const handlings = useQuery({ queryKey: keys.handlings, queryFn: ({ signal }) => request("get", "/api/v1/handlings", { signal }) });
  if (isFailed(handlings)) return <ErrorNote error={handlings.error} retry={() => void handlings.refetch()} />;
  if (!handlings.data) return <Loading what="the handlings" />;
  if (edited) return <HandlingForm handling={edited === "new" ? null : edited} close={() => { setEdited(null); void handlings.refetch(); }} />;
  return (
    <>
      <div className="toolbar">
        <Act variant="filled" forbidden={forbidden("PUT /api/v1/handlings/{slug}")} onClick={() => setEdited("new")}>
          Make a handling…
        </Act>
      </div>
      <p className="quiet" style={{ marginBottom: 12 }}>Who is waited for, whether devices restart, which programs are closed, which values settings have: said once, and used by any app. A deployment may name another, or none.</p>
      {handlings.data.length === 0 && <Empty title="There is no handling yet"><code>bandejo handling new after-hours --signed-in nobody --restart never --for foldline</code></Empty>}
      <div className="columns">
        {handlings.data.map((handling) => (
          <section key={handling.slug} className="sheet">
            <div className="pad title-row">
              <h2>{handling.name} <code className="quiet">{handling.slug}</code></h2>
              <div className="acts">
                <Act size="compact-sm" forbidden={forbidden("PUT /api/v1/handlings/{slug}")} onClick={() => setEdited(handling)}>Change</Act>
                <Act
                  size="compact-sm"
                  forbidden={forbidden("DELETE /api/v1/handlings/{slug}")}
                  onClick={() =>
                    setQuestion({
                      title: `Forget the handling ${handling.name}`,
                      says: <p>{handling.apps.length === 0 ? "No app is handled so by itself." : `${handling.apps.join(", ")} ${handling.apps.length === 1 ? "behaves" : "behave"} as packaged again, also where a deployment is under way.`}</p>,
                      act: "Forget 1 handling",
                      isDangerous: true,
                      command: () => `bandejo handling remove ${handling.slug}`,
                      run: async () => {
                        await request("delete", "/api/v1/handlings/{slug}", { path: { slug: handling.slug }, revision: handling.revision });
                        await handlings.refetch();
                        return `The handling ${handling.name} is forgotten.`;
                      },
                    })
                  }
                >
                  Forget…
                </Act>
              </div>
            </div>
            <table className="plain">
              <tbody>
                <tr><td><strong>It</strong></td><td>{handling.says}</td></tr>
                <tr><td><strong>For</strong></td><td>{handling.apps.length > 0 ? handling.apps.join(", ") : <span className="quiet">deployments that name it</span>}</td></tr>
              </tbody>
            </table>
          </section>
        ))}
      </div>
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}

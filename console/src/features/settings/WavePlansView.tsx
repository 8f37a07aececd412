import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Empty, Loading } from "@/parts/Page";
import { WavePlanForm } from "./WavePlanForm";

type Plan = Schemas["WavePlanInfo"];

/** Waves with their gates, kept for use again. */
export function WavePlansView() {
  const { forbidden } = useSession();
  const [edited, setEdited] = useState<Plan | "new" | null>(null);
  const [question, setQuestion] = useState<Question | null>(null);
  const plans = useQuery({ queryKey: keys.wavePlans, queryFn: ({ signal }) => request("get", "/api/v1/wave-plans", { signal }) });
  if (isFailed(plans)) return <ErrorNote error={plans.error} retry={() => void plans.refetch()} />;
  if (!plans.data) return <Loading what="the wave plans" />;
  if (edited) return <WavePlanForm plan={edited === "new" ? null : edited} close={() => { setEdited(null); void plans.refetch(); }} />;
  return (
    <>
      <div className="toolbar">
        <Act variant="filled" forbidden={forbidden("PUT /api/v1/wave-plans/{slug}")} onClick={() => setEdited("new")}>
          Make a wave plan…
        </Act>
      </div>
      {plans.data.length === 0 && <Empty title="There is no wave plan yet"><code>bandejo wave-plan new careful --wave 'Pilots: 5 %; 100 % met for 1d' --wave 'Rest: everyone else'</code></Empty>}
      <div className="columns">
        {plans.data.map((plan) => (
          <section key={plan.slug} className="sheet">
            <div className="pad title-row">
              <h2>{plan.name} <code className="quiet">{plan.slug}</code></h2>
              <div className="acts">
                <Act size="compact-sm" forbidden={forbidden("PUT /api/v1/wave-plans/{slug}")} onClick={() => setEdited(plan)}>Change</Act>
                <Act
                  size="compact-sm"
                  forbidden={forbidden("DELETE /api/v1/wave-plans/{slug}")}
                  onClick={() =>
                    setQuestion({
                      title: `Forget the wave plan ${plan.name}`,
                      says: <p>Deployments that were started with it keep their waves.</p>,
                      act: "Forget 1 wave plan",
                      isDangerous: true,
                      command: () => `bandejo wave-plan remove ${plan.slug}`,
                      run: async () => {
                        await request("delete", "/api/v1/wave-plans/{slug}", { path: { slug: plan.slug }, revision: plan.revision });
                        await plans.refetch();
                        return `The wave plan ${plan.name} is forgotten.`;
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
                {plan.waves.map((wave) => (
                  <tr key={wave.name}>
                    <td><strong>{wave.name}</strong></td>
                    <td>{wave.pick}</td>
                    <td>{wave.gate ?? <span className="quiet">no gate</span>}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        ))}
      </div>
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}

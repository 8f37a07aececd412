import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/api/request";
import { SmallTrays } from "./trays/Trays";

/** A deployment in a list: its name, its sentence, its trays. */
export function DeploymentLine({ deployment }: { deployment: Schemas["DeploymentInfo"] }) {
  return (
    <article className="deployment-line">
      <div>
        <h3>
          <Link to="/deployments/$deployment" params={{ deployment: deployment.id }}>
            {deployment.name}
          </Link>
          <span className={`status status-${deployment.status}`}>{deployment.status}</span>
        </h3>
        <p>{deployment.sentence}</p>
      </div>
      <SmallTrays waves={deployment.waves} width={420} />
    </article>
  );
}

import { TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Loading } from "@/parts/Page";

/** How the service is: its version, its figures, its clock. */
export function ServiceView() {
  const service = useQuery({ queryKey: keys.service, queryFn: ({ signal }) => request("get", "/api/v1/service", { signal }) });
  const clock = useQuery({ queryKey: keys.clock, queryFn: ({ signal }) => request("get", "/api/v1/clock", { signal }) });
  if (isFailed(service)) return <ErrorNote error={service.error} retry={() => void service.refetch()} />;
  if (!service.data) return <Loading what="the service" />;
  const it = service.data;
  return (
    <div className="columns">
      <dl className="facts sheet pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
        <dt>Version</dt>
        <dd>{it.version}</dd>
        <dt>Device protocol</dt>
        <dd>{it.deviceProtocol}</dd>
        <dt>Devices</dt>
        <dd>{count(it.devices)}</dd>
        <dt>Deployments that run</dt>
        <dd>{count(it.deployments)}</dd>
        <dt>Packages</dt>
        <dd>{count(it.packages)}</dd>
        <dt>Its time</dt>
        <dd>
          <Moment at={it.now} only="moment" />
        </dd>
        <dt>Metrics</dt>
        <dd>
          <a href="/metrics">/metrics</a> (OpenMetrics)
        </dd>
        <dt>API</dt>
        <dd>
          <a href="/api/v1/openapi.json">/api/v1/openapi.json</a>
        </dd>
      </dl>
      {clock.data?.isDemo && <DemoClock speed={clock.data.speed} />}
    </div>
  );
}

function DemoClock({ speed }: { speed: number }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [advance, setAdvance] = useState("6h");
  const change = useMutation({ mutationFn: (body: { speed?: number; advance?: string }) => request("post", "/api/v1/clock", { body }), onSettled: () => void queries.invalidateQueries() });
  const why = forbidden("POST /api/v1/clock");
  return (
    <section className="sheet pad form">
      <h2>Demo clock</h2>
      <p className="quiet">This service runs on a demo clock, {speed === 0 ? "which stands still" : `${count(speed)} times as fast as the real time`}. What is due on the way is done on the way.</p>
      <div className="acts">
        {[0, 1, 60, 600].map((each) => (
          <Act key={each} forbidden={why} variant={each === speed ? "filled" : "default"} onClick={() => change.mutate({ speed: each })}>
            {each === 0 ? "Stand still" : each === 1 ? "Real speed" : `${each} ×`}
          </Act>
        ))}
      </div>
      <div className="acts">
        <TextInput aria-label="How far" value={advance} onChange={(event) => setAdvance(event.currentTarget.value)} w={90} />
        <Act forbidden={why} loading={change.isPending} onClick={() => change.mutate({ advance })}>
          Bring it forward
        </Act>
      </div>
      {change.error && <ErrorNote error={change.error} />}
    </section>
  );
}

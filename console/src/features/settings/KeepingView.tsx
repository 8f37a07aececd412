import { NumberInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { bytes, count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Loading } from "@/parts/Page";

/** How long what was is kept, and what went the last time. */
export function KeepingView() {
  const kept = useQuery({ queryKey: keys.keeping, queryFn: ({ signal }) => request("get", "/api/v1/keeping", { signal }) });
  if (isFailed(kept)) return <ErrorNote error={kept.error} retry={() => void kept.refetch()} />;
  if (!kept.data) return <Loading what="what is kept" />;
  return <Kept key={`${kept.data.historyDays} ${kept.data.logDays}`} it={kept.data} />;
}

function Kept({ it }: { it: Schemas["KeepingInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [history, setHistory] = useState<number | string>(it.historyDays);
  const [logs, setLogs] = useState<number | string>(it.logDays);
  const onSettled = () => void queries.invalidateQueries({ queryKey: keys.keeping });
  const change = useMutation({ mutationFn: () => request("put", "/api/v1/keeping", { body: { historyDays: Number(history), logDays: Number(logs) } }), onSettled });
  const run = useMutation({ mutationFn: () => request("post", "/api/v1/keeping/run"), onSettled });
  const isSame = Number(history) === it.historyDays && Number(logs) === it.logDays;
  const isLess = Number(history) < it.historyDays || Number(logs) < it.logDays;
  return (
    <div className="columns">
      <section className="sheet pad form">
        <NumberInput label="How it was, in days" description="Targets, devices, groups and attempts as of any past moment: 30 to 3,650" value={history} onChange={setHistory} min={30} max={3650} />
        <NumberInput label="Logs of attempts, in days" description="1 to 3,650" value={logs} onChange={setLogs} min={1} max={3650} />
        {isLess && <p className="doubt">What is older goes within a day, and does not come back.</p>}
        <div className="acts">
          <Act variant="filled" loading={change.isPending} forbidden={forbidden("PUT /api/v1/keeping") ?? (isSame ? "It is so already." : null)} onClick={() => change.mutate()}>
            Keep it so long
          </Act>
        </div>
        {change.error && <ErrorNote error={change.error} />}
        <p className="quiet">Decisions and the audit trail are kept for ever; tokens and join codes go a day after they are over.</p>
      </section>
      <section className="sheet pad form">
        <dl className="facts" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
          <dt>Known from</dt>
          <dd>
            <Moment at={it.from} />
          </dd>
          <dt>Last looked at</dt>
          <dd>
            <Moment at={it.lastAt} otherwise="not yet; it is once a day" />
          </dd>
          <dt>Went then</dt>
          <dd>
            {count(it.rows)} rows of what was, {count(it.logs)} logs{it.logs > 0 && ` (${bytes(it.logBytes)})`}
          </dd>
        </dl>
        <div className="acts">
          <Act loading={run.isPending} forbidden={forbidden("POST /api/v1/keeping/run")} onClick={() => run.mutate()}>
            Look now
          </Act>
        </div>
        {run.error && <ErrorNote error={run.error} />}
      </section>
    </div>
  );
}

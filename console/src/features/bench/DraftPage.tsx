import { useDebouncedCallback } from "@mantine/hooks";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi } from "@tanstack/react-router";
import { lazy, Suspense, useEffect, useState } from "react";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { NotYet } from "@/parts/NotYet";
import { Empty, Page } from "@/parts/Page";
import { AfterView } from "./AfterView";
import { CaptureView } from "./CaptureView";
import { CheckView } from "./CheckView";
import { DraftActs } from "./DraftActs";
import { DraftFiles } from "./DraftFiles";
import { InspectionView } from "./InspectionView";
import { FormView } from "./FormView";
import { leadOf } from "./lead";
import { TrialView } from "./TrialView";

const ManifestField = lazy(() => import("./ManifestField"));
const route = getRouteApi("/bench/$draft");
const crumbs = [{ name: "Apps", to: "/apps" }, { name: "Bench", to: "/bench" }];
const REST = 400;

/** One draft: what was read out of its files, the manifest beside a form, what is wrong with it, its trial. */
export default function DraftPage() {
  const { draft: id } = route.useParams();
  const key = ["bench", id];
  const queries = useQueryClient();
  const found = useQuery({
    queryKey: key,
    queryFn: ({ signal }) => request("get", "/api/v1/bench/{draft}", { path: { draft: id }, signal }),
    refetchInterval: (query) => (query.state.data?.trial?.isRunning ? 700 : false),
  });
  const [text, setText] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const shown = text ?? found.data?.manifest ?? "";
  const isKept = text === null;
  const write = useDebouncedCallback(async (manifest: string) => {
    try {
      queries.setQueryData(key, await request("put", "/api/v1/bench/{draft}/manifest", { path: { draft: id }, body: { manifest } }));
      setError(null);
      setText((now) => (now === manifest ? null : now));
    } catch (refused) {
      setError(refused);
    }
  }, REST);
  useEffect(() => () => write.flush(), [write]);
  if (!found.data) return <NotYet query={found} title="Draft" what="draft" crumbs={crumbs} />;
  const { draft, files, check, trial } = found.data;
  const edit = (manifest: string) => {
    setText(manifest);
    write(manifest);
  };
  const take = (changed: Schemas["BenchDraft"]) => {
    setText(null);
    queries.setQueryData(key, changed);
  };

  return (
    <Page title={draft.name} crumbs={crumbs} lead={leadOf(found.data, isKept)} acts={<DraftActs found={found.data} isKept={isKept} changed={() => void queries.invalidateQueries({ queryKey: ["bench"] })} />}>
      {error !== null && <ErrorNote error={error} />}
      {files.length === 0 && <Empty title="The draft has no file yet">Drop one below.</Empty>}
      {check && <CheckView check={check} files={files} isOld={!isKept} />}
      <AfterView found={found.data} changed={take} />
      {trial && <TrialView trial={trial} />}
      {shown !== "" && (
        <div className="section bench-columns">
          <FormView text={shown} change={edit} />
          <section>
            <h2>package.yaml</h2>
            <Suspense fallback={<p className="loading">Asking for the editor …</p>}>
              <ManifestField value={shown} onChange={edit} findings={isKept ? (check?.findings ?? []) : []} />
            </Suspense>
          </section>
        </div>
      )}
      {found.data.capture && <CaptureView draft={draft.id} capture={found.data.capture} changed={take} />}
      <DraftFiles draft={draft.id} files={files} changed={take} />
      {files.flatMap((file) => (file.inspection ? [<InspectionView key={file.path} draft={draft.id} inspection={file.inspection} />] : []))}
    </Page>
  );
}

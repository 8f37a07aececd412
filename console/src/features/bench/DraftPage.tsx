import { useDebouncedCallback } from "@mantine/hooks";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi } from "@tanstack/react-router";
import { lazy, Suspense, useEffect, useRef, useState } from "react";
import { keys } from "@/api/keys";
import { isStale, request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { Leaving } from "@/parts/Leaving";
import { Meanwhile } from "@/parts/Meanwhile";
import { isGone, NotYet } from "@/parts/NotYet";
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
  const key = keys.benchDraft(id);
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
  const [wasWritten, setWasWritten] = useState(false);
  useEffect(() => {
    if (shown !== "") setWasWritten(true);
  }, [shown]);
  // What is changed is what was on screen when typing began.
  const known = useRef<string | undefined>(undefined);
  if (isKept || known.current === undefined) known.current = found.data?.revision;
  const [theirs, setTheirs] = useState<Schemas["BenchDraft"] | null>(null);
  // One after the other: each must know the revision that the one before came to.
  const before = useRef(Promise.resolve());
  const write = useDebouncedCallback((manifest: string) => {
    before.current = before.current.then(() => keep(manifest));
  }, REST);
  async function keep(manifest: string): Promise<void> {
    try {
      const kept = await request("put", "/api/v1/bench/{draft}/manifest", { path: { draft: id }, body: { manifest }, revision: known.current });
      known.current = kept.revision;
      queries.setQueryData(key, kept);
      setError(null);
      setText((now) => (now === manifest ? null : now));
    } catch (refused) {
      setError(refused);
      if (isStale(refused)) setTheirs(await request("get", "/api/v1/bench/{draft}", { path: { draft: id } }).catch(() => null));
    }
  }
  useEffect(() => () => write.flush(), [write]);
  useEffect(() => {
    if (isKept) return;
    // What was typed within the last moment is on its way: a reload is asked about until it is kept.
    const ask = (event: BeforeUnloadEvent) => { write.flush(); event.preventDefault(); };
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [isKept, write]);
  if (!found.data || isGone(found)) return <NotYet query={found} title="Draft" what="draft" crumbs={crumbs} />;
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
    <Page title={draft.name} crumbs={crumbs} lead={leadOf(found.data, isKept)} acts={<DraftActs found={found.data} isKept={isKept} changed={() => void queries.invalidateQueries({ queryKey: keys.bench })} />}>
      <Leaving isDirty={!isKept && error !== null} what={`the manifest of ${draft.name}`} />
      {theirs && text !== null && (
        <Meanwhile
          what="this draft"
          takeTheirs={() => { take(theirs); setTheirs(null); setError(null); }}
          keepMine={() => { known.current = theirs.revision; setTheirs(null); setError(null); write(text); }}
        />
      )}
      {error !== null && !theirs && <ErrorNote error={error} />}
      {files.length === 0 && <Empty title="The draft has no file yet">Drop one below.</Empty>}
      {check && <CheckView check={check} files={files} isOld={!isKept} />}
      <AfterView found={found.data} changed={take} />
      {trial && <TrialView trial={trial} />}
      {(text !== null || wasWritten || shown !== "") && (
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

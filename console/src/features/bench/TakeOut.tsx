import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote } from "@/parts/ErrorNote";

/** Begins a draft of its own for an installer that an archive brings along. */
export function TakeOut({ draft, file, path }: { draft: string; file: string; path: string }) {
  const { forbidden } = useSession();
  const go = useNavigate();
  const queries = useQueryClient();
  const takes = useMutation({
    mutationFn: () => request("post", "/api/v1/bench/{draft}/inside", { path: { draft }, body: { file, path } }),
    onSuccess: async (begun) => {
      await queries.invalidateQueries({ queryKey: keys.bench });
      await go({ to: "/bench/$draft", params: { draft: begun.id } });
    },
  });
  return (
    <>
      <Act size="compact-sm" forbidden={forbidden("POST /api/v1/bench/{draft}/inside")} loading={takes.isPending} onClick={() => takes.mutate()}>
        Draft it by itself
      </Act>
      {takes.error && <ErrorNote error={takes.error} />}
    </>
  );
}

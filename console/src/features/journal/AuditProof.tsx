import { Button } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { request } from "@/api/request";
import { Command } from "@/parts/Command";
import { ErrorNote } from "@/parts/ErrorNote";

/** Whether the trail is as it was written, and a file of it with a proof for who does not believe this page. */
export function AuditProof() {
  const verify = useMutation({ mutationFn: () => request("get", "/api/v1/audit/verify") });
  return (
    <section className="section sheet pad">
      <div className="acts">
        <Button loading={verify.isPending} onClick={() => verify.mutate()}>
          Verify the trail
        </Button>
        <Button component="a" href="/api/v1/audit/export" download="audit.jsonl">
          Export it with a proof
        </Button>
        <span className="quiet">An export of today shows later whether anything before it was changed or cut off.</span>
      </div>
      {verify.data && (
        <div className={verify.data.holds ? "note" : "note bad"} role="status">
          <p>
            <strong>{verify.data.holds ? "Holds." : "Does not hold."}</strong> {verify.data.says}
          </p>
        </div>
      )}
      {verify.error && <ErrorNote error={verify.error} />}
      <Command text="bandejo journal verify --proof audit.jsonl" />
    </section>
  );
}

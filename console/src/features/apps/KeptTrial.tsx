import { Modal } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { TrialSteps } from "@/parts/TrialSteps";

/** All steps of a trial that is kept with a package. */
export function KeptTrial({ digest, trial, close }: { digest: string; trial: string; close: () => void }) {
  const kept = useQuery({ queryKey: keys.package(digest, "trials", trial), queryFn: ({ signal }) => request("get", "/api/v1/packages/{package}/trials/{trial}", { path: { package: digest, trial }, signal }) });
  return (
    <Modal opened onClose={close} title={kept.data ? `Trial on ${kept.data.machine}` : "Trial"} size="xl" closeButtonProps={{ "aria-label": "Close" }}>
      {kept.error && <ErrorNote error={kept.error} />}
      {kept.data && <TrialSteps steps={kept.data.steps} />}
    </Modal>
  );
}

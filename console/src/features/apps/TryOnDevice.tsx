import { Button, Modal, Select } from "@mantine/core";
import { useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { TrialSteps } from "@/parts/TrialSteps";

const PACE = 2000;

/** Has a device that is kept for testing try a package, and shows how far it is. */
export function TryOnDevice({ it, close }: { it: Schemas["PackageInfo"]; close: () => void }) {
  const queries = useQueryClient();
  const [device, setDevice] = useState<string | null>(null);
  const [asked, setAsked] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const testing = (groups.data ?? []).filter((group) => group.isForTesting);
  const members = useQueries({ queries: testing.map((group) => ({ queryKey: keys.group(group.slug, "testing"), queryFn: () => request("get", "/api/v1/groups/{slug}/devices", { path: { slug: group.slug }, query: { limit: 200 } }) })) });
  const names = [...new Set(members.flatMap((each) => each.data?.items.map((item) => item.name) ?? []))].sort();
  const trial = useQuery({
    queryKey: keys.deviceTrial(asked),
    queryFn: ({ signal }) => request("get", "/api/v1/devices/{device}/trial", { path: { device: asked! }, signal }),
    enabled: asked !== null,
    refetchInterval: (query) => (query.state.data?.state === "ended" ? false : PACE),
  });
  async function ask() {
    setError(null);
    try {
      await request("post", "/api/v1/devices/{device}/trial", { path: { device: device! }, body: { package: it.digest } });
      await queries.invalidateQueries({ queryKey: keys.deviceTrial(device) });
      setAsked(device);
    } catch (refused) {
      setError(refused);
    }
  }
  return (
    <Modal opened onClose={close} title={`Try ${it.name} ${it.version} on a device`} size="xl" closeButtonProps={{ "aria-label": "Close" }}>
      <p>It is installed on the device itself, started, installed over, and removed; what is left in place is taken away. Only devices in groups marked for testing are asked.</p>
      {groups.data && testing.length === 0 && <p className="note">No group is marked for testing. Mark one under Groups, and put devices into it that are kept for trials.</p>}
      {error !== null && <ErrorNote error={error} />}
      <div style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap" }}>
        <Select label="Device" placeholder="A device for testing" searchable data={names} value={device} onChange={setDevice} nothingFoundMessage="No such device in a group for testing" style={{ flex: 1 }} />
        <Button disabled={!device || (asked === device && trial.data?.state !== "ended")} onClick={() => void ask()}>Try it{device && ` on ${device}`}</Button>
      </div>
      {asked && trial.data && <Course trial={trial.data} digest={it.digest} />}
    </Modal>
  );
}

function Course({ trial, digest }: { trial: Schemas["DeviceTrialInfo"]; digest: string }) {
  const steps = useQuery({ queryKey: keys.package(digest, "trials", trial.kept), queryFn: () => request("get", "/api/v1/packages/{package}/trials/{trial}", { path: { package: digest, trial: trial.kept! } }), enabled: Boolean(trial.kept) });
  return (
    <section className="section" aria-label="Trial">
      {trial.state === "waiting" && <p role="status">Waiting for {trial.device}, which checks in every {trial.checkInSeconds} s{trial.lastHeard ? <> and was heard <Moment at={trial.lastHeard} /></> : " and was never heard"}. You need not stay: the result is kept with the package.</p>}
      {trial.state === "running" && <p role="status">{trial.device} is at it since <Moment at={trial.beganAt!} />.</p>}
      {trial.state === "ended" && <p role="status"><strong>{trial.says}.</strong></p>}
      {steps.data && <TrialSteps steps={steps.data.steps} />}
    </section>
  );
}

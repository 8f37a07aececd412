import { Autocomplete, Checkbox, MultiSelect, NumberInput, SegmentedControl, Select, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useNow } from "@/api/clock";
import { keys, ofDeployment, renew } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote } from "@/parts/ErrorNote";
import { devices } from "@/parts/format";
import { Leaving } from "@/parts/Leaving";
import { isPast, MomentField } from "@/parts/MomentField";
import { Page } from "@/parts/Page";
import { hasTwins, WavesEditor } from "@/parts/WavesEditor";
import { actsAfterDeadline, commandOf, type Draft, emptyDraft, hasDeadline, isComplete, requestOf } from "./draft";
import { SettingsFields } from "./SettingsFields";
import { StartPreview } from "./StartPreview";

const route = getRouteApi("/deployments/new");
const STARTS = ["at any time", "with nobody signed in", "with somebody signed in", "at system start before anybody signs in", "on mains power", "with nobody signed in, on mains power"];
const RESTARTS = ["left to people", "with the install", "in the next window", "in the next window, at the latest after 3 d", "with the install, in the next window while somebody is signed in"];
const FETCHES = ["at most 1 MB/s", "at most 500 kB/s Mon-Fri 08:00-18:00", "5 of a site at once", "at most 1 MB/s; 5 of a site at once", "over metered links too"];
const AT_ONCE = ["1 of a site", "3 of a site", "10 of a site"];
const AFTER_DEADLINE = [
  { value: "late", label: "late, and nothing else" },
  { value: "start", label: "starts outside its windows" },
  { value: "close", label: "starts, and closes programs in the way" },
];
const NOTICES = ["15 min", "1 h", "4 h"];
const crumbs = [{ name: "Deployments", to: "/deployments" }];

/** A deployment in the making, with who it would reach beside it as one chooses. */
export default function ComposePage() {
  const search = route.useSearch();
  const go = useNavigate();
  const now = useNow();
  const queries = useQueryClient();
  const { forbidden } = useSession();
  const [draft, setDraft] = useState<Draft>(() => emptyDraft(search));
  const [first] = useState(draft);
  const [asked] = useDebouncedValue(draft, 300);
  const set = (change: Partial<Draft>) => setDraft((now) => ({ ...now, ...change }));
  const apps = useQuery({ queryKey: keys.apps, queryFn: ({ signal }) => request("get", "/api/v1/apps", { signal }) });
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const plans = useQuery({ queryKey: keys.wavePlans, queryFn: ({ signal }) => request("get", "/api/v1/wave-plans", { signal }) });
  const handlings = useQuery({ queryKey: keys.handlings, queryFn: ({ signal }) => request("get", "/api/v1/handlings", { signal }) });
  const calendars = useQuery({ queryKey: keys.calendars, queryFn: ({ signal }) => request("get", "/api/v1/calendars", { signal }) });
  const preview = useQuery({
    queryKey: keys.preview(requestOf(asked)),
    queryFn: ({ signal }) => request("post", "/api/v1/deployments/preview", { body: requestOf(asked), signal }),
    enabled: isComplete(asked),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const start = useMutation({
    mutationFn: () => request("post", "/api/v1/deployments", { body: requestOf(draft) }),
    onSuccess: async (started) => {
      await renew(queries, ...ofDeployment(""));
      await go({ to: "/deployments/$deployment", params: { deployment: started.id }, ignoreBlocker: true });
    },
  });
  const groupNames = (groups.data ?? []).map((group) => ({ value: group.slug, label: `${group.name} · ${group.devices}` }));
  const packages = (apps.data ?? []).map((app) => ({ group: app.name, items: app.packages.filter((each) => each.state !== "withdrawn").map((each) => ({ value: `${each.app} ${each.version}`, label: `${each.name} ${each.version}${each.state === "released" ? "" : ` (${each.state})`}` })) })).filter((app) => app.items.length > 0);
  // An app alone stands for its newest released package; which that is, is known once the apps are.
  const newest = apps.data?.find((app) => app.app === draft.package)?.packages.find((each) => each.state === "released");
  const chosen = newest ? `${newest.app} ${newest.version}` : draft.package;
  const pack = useQuery({ queryKey: keys.package(chosen), queryFn: ({ signal }) => request("get", "/api/v1/packages/{package}", { path: { package: chosen }, signal }), enabled: chosen !== "", retry: false });
  const secrets = pack.data?.settings.filter((setting) => setting.type === "secret").map((setting) => setting.name);
  const isCurrent = asked === draft && !preview.isFetching;
  const why =
    forbidden("POST /api/v1/deployments") ??
    (hasTwins(draft.waves) ? "Two waves are called the same." : !isComplete(draft) ? "Choose a package and at least one group first." : [draft.deadline, ...(draft.hasTimes ? draft.waves.map((wave) => wave.opensAt) : [])].some((field) => isPast(field, now)) ? "A deadline or an opening is over already." : preview.error ? "The preview says what is wrong." : !isCurrent || !preview.data ? "The preview is on its way." : !preview.data.canStart ? "Something stands against it; see the preview." : null);

  return (
    <Page title="Start a deployment" crumbs={crumbs} lead="Nothing happens before you start it; beside the choices stands whom they would reach." command={commandOf({ ...draft, package: chosen }, secrets)}>
      <Leaving isDirty={draft !== first && !start.isSuccess} what="this deployment" />
      <div className="section columns compose">
        <form className="form" onSubmit={(event) => event.preventDefault()}>
          <div className="pair">
            <Select label="Package" placeholder="App and version" searchable data={packages} value={chosen || null} onChange={(value) => set({ package: value ?? "", preset: "", settings: {} })} nothingFoundMessage="No package is called so" />
            <TextInput label="Name" placeholder={preview.data?.name ?? "made from the package"} value={draft.name} onChange={(event) => set({ name: event.currentTarget.value })} />
          </div>
          <SegmentedControl aria-label="Wish" value={draft.wish} onChange={(wish) => set({ wish: wish as Draft["wish"] })} data={[{ value: "have", label: "Have: it must be there" }, { value: "choice", label: "Choice: users may take it" }, { value: "gone", label: "Gone: in no version" }]} />
          <div className="pair">
            <MultiSelect label="For these groups" placeholder={draft.groups.length === 0 ? "Groups" : ""} searchable data={groupNames} value={draft.groups} onChange={(value) => set({ groups: value })} />
            <MultiSelect label="Leaving out" description={undefined} placeholder={draft.except.length === 0 ? "Leaving out always wins" : ""} searchable data={groupNames} value={draft.except} onChange={(value) => set({ except: value })} />
          </div>
          {(plans.data ?? []).length > 0 && (
            <div className="chips" role="group" aria-label="Wave plans">
              <span className="quiet">Waves of a plan:</span>
              {plans.data!.map((plan) => (
                <button key={plan.slug} type="button" className="chip" onClick={() => set({ waves: plan.waves.map((wave) => ({ name: wave.name, pick: wave.pick, gate: wave.gate ?? "", opensAt: "", hours: wave.hours ?? "", due: wave.deadline ?? "" })), hasTimes: draft.hasTimes || plan.waves.some((wave) => wave.hours || wave.deadline) })}>
                  {plan.name}
                </button>
              ))}
            </div>
          )}
          <WavesEditor waves={draft.waves} onChange={(waves) => set({ waves })} groups={groups.data ?? []} hasTimes={draft.hasTimes} hasHours={draft.hasTimes} said={preview.data?.waves.map((wave) => `${devices(wave.devices)}${wave.arithmetic ? `: the gate ${wave.arithmetic}` : ""}${wave.sample.length > 0 ? `; such as ${wave.sample.slice(0, 3).join(", ")}` : ""}`)} />
          {draft.wish !== "gone" && pack.data && <SettingsFields settings={pack.data.settings} presets={pack.data.presets} preset={draft.preset} values={draft.settings} change={set} />}
          <details>
            <summary>Limits and times</summary>
            <div className="form" style={{ marginTop: 8 }}>
              <Checkbox label="Waves open at set times, or in set hours" checked={draft.hasTimes} onChange={(event) => set({ hasTimes: event.currentTarget.checked })} />
              <div className="pair">
                <Select label="Handling" description="Who is waited for, restarts, rivals" clearable placeholder="that of the app" data={[...(handlings.data ?? []).map((each) => ({ value: each.slug, label: `${each.name}: ${each.says}` })), { value: "none", label: "None: as the package has it" }]} value={draft.handling || null} onChange={(value) => set({ handling: value ?? "" })} />
                <TextInput label="Halt" description="What stops it by itself" placeholder="10 % failed of at least 5" value={draft.halt} onChange={(event) => set({ halt: event.currentTarget.value })} />
                <MomentField label="Deadline" description="After it, unmet is late" value={draft.deadline} onChange={(deadline) => set({ deadline })} />
                <Select label="After the deadline" description="A freeze holds even then" allowDeselect={false} disabled={!hasDeadline(draft)} data={AFTER_DEADLINE} value={draft.afterDeadline} onChange={(value) => set({ afterDeadline: value ?? "late" })} />
                <Autocomplete label="Notice" description="How long before that whoever is signed in is told" placeholder="15 min" disabled={!actsAfterDeadline(draft)} data={NOTICES} value={draft.notice} onChange={(notice) => set({ notice })} />
                <MultiSelect label="Calendars of its own" description="Windows narrow those of its devices; freezes hold besides" placeholder={draft.calendars.length === 0 ? "those of the groups alone" : ""} searchable data={(calendars.data ?? []).map((each) => ({ value: each.slug, label: `${each.name} · ${each.kind}` }))} value={draft.calendars} onChange={(value) => set({ calendars: value })} />
                <Autocomplete label="Starts" description="What must be so on a device; until then it waits" placeholder="at any time" data={STARTS} value={draft.startWhen} onChange={(startWhen) => set({ startWhen })} />
                <Autocomplete label="Restart" description="Where a device needs one" placeholder="left to people" data={RESTARTS} value={draft.restart} onChange={(restart) => set({ restart })} />
                <Autocomplete label="Files" description="How they are fetched" placeholder="as fast as it goes, over no metered link" data={FETCHES} value={draft.fetch} onChange={(fetch) => set({ fetch })} />
                <Autocomplete label="At once" description="How many devices of a site are changed at a time" placeholder="any number" data={AT_ONCE} value={draft.atOnce} onChange={(atOnce) => set({ atOnce })} />
                <NumberInput label="Tries" min={1} max={20} value={draft.tries} onChange={(value) => set({ tries: Number(value) || 3 })} />
                <TextInput label="Pause before the second" placeholder="15m" value={draft.retryPause} onChange={(event) => set({ retryPause: event.currentTarget.value })} />
                <TextInput label="Lease" description="So long a device may start it unheard" placeholder="1d" value={draft.lease} onChange={(event) => set({ lease: event.currentTarget.value })} />
                <NumberInput label="Priority" description="The stronger of several for one app" value={draft.priority} onChange={(value) => set({ priority: Number(value) || 0 })} />
              </div>
              <Checkbox label="A halt rolls everything back by itself" checked={draft.rollBackOnHalt} onChange={(event) => set({ rollBackOnHalt: event.currentTarget.checked })} />
              <Checkbox label="A newer version may be replaced by this one" checked={draft.allowDowngrade} onChange={(event) => set({ allowDowngrade: event.currentTarget.checked })} />
              <Checkbox label="Devices that sleep are woken when their window opens" checked={draft.wake} onChange={(event) => set({ wake: event.currentTarget.checked })} />
              <Checkbox label="It ends by itself once another has wholly taken its place" checked={draft.endWhenReplaced} onChange={(event) => set({ endWhenReplaced: event.currentTarget.checked })} />
            </div>
          </details>
          {start.error && <ErrorNote error={start.error} />}
          <div className="acts">
            <Act variant="filled" loading={start.isPending} forbidden={why} onClick={() => start.mutate()}>
              {preview.data && !preview.error ? `Start for ${devices(preview.data.reached)}` : "Start"}
            </Act>
          </div>
        </form>
        <StartPreview preview={preview.data} error={preview.error} isComplete={isComplete(draft)} isOld={!isCurrent} />
      </div>
    </Page>
  );
}

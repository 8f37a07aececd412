import { Autocomplete, Button, Modal } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { keys, OF_MEMBERS, renew } from "@/api/keys";
import { csvOf, request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { choosing, ChosenBar, useChosen } from "@/parts/choosing";
import { ErrorNote } from "@/parts/ErrorNote";
import { FilterField } from "@/parts/FilterField";
import { count, devices } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty } from "@/parts/Page";
import { VirtualList } from "@/parts/VirtualList";

type Device = Schemas["DeviceInfo"];
const route = getRouteApi("/groups/$group");

/** Devices that are to come into the group, or to leave it. */
interface Move {
  devices: string[];
  /** What they are called together. */
  name: string;
  isIn: boolean;
}

/** The devices of a group; those of a listed one are put in and taken out here. */
export function MembersView({ group }: { group: Schemas["GroupInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [typed, setTyped] = useState("");
  const [words] = useDebouncedValue(typed.trim(), 200);
  const found = useQuery({ queryKey: keys.devicesFound(words), queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { filter: words, limit: 8 }, signal }), enabled: words.length > 1, retry: false });
  const chosen = useChosen();
  const [asked, setAsked] = useState<(Move & { says: string }) | null>(null);
  // What it starts and stops is looked at first, and asked about where it is anything.
  const look = useMutation({
    mutationFn: ({ devices, isIn }: Move) => request("post", "/api/v1/groups/{slug}/devices/preview", { path: { slug: group.slug }, body: { devices, isIn } }),
    onSuccess: (preview, it) => (preview.deployments > 0 ? setAsked({ ...it, says: preview.says }) : move.mutate(it)),
  });
  const move = useMutation({
    mutationFn: ({ devices, isIn }: Move) => request("post", "/api/v1/groups/{slug}/devices", { path: { slug: group.slug }, body: { devices, isIn } }),
    onSuccess: () => {
      setTyped("");
      chosen.clear();
      setAsked(null);
    },
    onSettled: () => void renew(queries, ...OF_MEMBERS),
  });
  const { filter = "", sort, asOf } = route.useSearch();
  const go = useNavigate({ from: "/groups/$group" });
  const set = (change: { filter?: string; sort?: string }) => void go({ search: (now) => ({ ...now, ...change }), replace: true, resetScroll: false });
  const isListed = !group.rule && asOf === undefined;
  const query = { group: group.slug, filter: filter || undefined, sort };
  const mayTakeOut = isListed && forbidden("DELETE /api/v1/groups/{slug}/devices/{device}") === null;
  const takeOut = (ids: string[], name: string) => look.mutate({ devices: ids, name, isIn: false });
  return (
    <>
      {isListed && (
        <div className="toolbar">
          <Autocomplete className="grow" aria-label="Device to put in" placeholder="Name of a device to put in" value={typed} onChange={setTyped} data={(found.data?.items ?? []).map((device) => device.name)} />
          <Act variant="filled" forbidden={forbidden("PUT /api/v1/groups/{slug}/devices/{device}") ?? (typed.trim() === "" ? "Name a device first." : null)} loading={look.isPending} onClick={() => look.mutate({ devices: [typed.trim()], name: typed.trim(), isIn: true })}>
            Put 1 device in
          </Act>
        </div>
      )}
      {asOf === undefined && (
        <div className="toolbar">
          <FilterField label="Filter its devices by a rule or by words" value={filter} onChange={(value) => set({ filter: value })} />
          <Button component="a" href={csvOf("/api/v1/devices", query)} download={`${group.slug}.csv`}>
            Export CSV
          </Button>
        </div>
      )}
      <ChosenBar chosen={chosen}>
        <Act loading={look.isPending} onClick={() => takeOut([...chosen.names.keys()], devices(chosen.names.size))}>Take {count(chosen.names.size)} out…</Act>
      </ChosenBar>
      {(look.error ?? move.error) && !asked && <ErrorNote error={(look.error ?? move.error)!} />}
      <Modal opened={asked !== null} onClose={() => setAsked(null)} title={asked?.isIn ? `Put ${asked.name} into '${group.slug}'` : `Take ${asked?.name} out of '${group.slug}'`} closeButtonProps={{ "aria-label": "Close" }}>
        {asked && (
          <div className="form">
            <p>{asked.says}</p>
            {move.error && <ErrorNote error={move.error} />}
            <div className="acts" style={{ justifyContent: "flex-end" }}>
              <Act variant="filled" loading={move.isPending} onClick={() => move.mutate(asked)}>{`${asked.isIn ? "Put" : "Take"} ${asked.devices.length === 1 ? "it" : "them"} ${asked.isIn ? "in" : "out"}`}</Act>
            </div>
          </div>
        )}
      </Modal>
      <VirtualList
        label={`Devices of ${group.name}`}
        queryKey={keys.group(group.slug, "devices", asOf ?? query)}
        load={(skip, limit, signal) => asOf === undefined
          ? request("get", "/api/v1/devices", { query: { ...query, skip, limit }, signal })
          : request("get", "/api/v1/groups/{slug}/devices", { path: { slug: group.slug }, query: { skip, limit, asOf }, signal })}
        sort={asOf === undefined ? (sort ?? "name") : undefined}
        onSort={(by) => set({ sort: by === "name" ? "" : by })}
        idOf={(device: Device) => device.id}
        columns={[
          ...(mayTakeOut ? [choosing(chosen, (device: Device) => device.id, (device) => device.name)] : []),
          { key: "name", title: "Name", width: "160px", sort: "name", cell: (device: Device) => <Link className="name" to="/devices/$device" params={{ device: device.name }}>{device.name}</Link> },
          { key: "kind", title: "Kind", width: "100px", sort: "kind", cell: (device: Device) => device.kind },
          { key: "model", title: "Model", width: "minmax(100px, 1fr)", sort: "model", cell: (device: Device) => device.model },
          ...(asOf === undefined ? [{ key: "heard", title: "Last heard", width: "130px", sort: "heard", isRight: true, cell: (device: Device) => <Moment at={device.lastHeard} only="relative" otherwise="never" /> }] : []),
          ...(isListed ? [{ key: "out", title: "Membership", width: "90px", isRight: true, cell: (device: Device) => <TakeOut device={device} why={forbidden("DELETE /api/v1/groups/{slug}/devices/{device}")} onOut={() => takeOut([device.id], device.name)} /> }] : []),
        ]}
        empty={filter ? <Empty title="No device of it fits">Take words off the filter.</Empty> : <div className="section"><Empty title="No device is in it">{isListed && <code>bandejo group member add {group.slug} DEVICE</code>}</Empty></div>}
      />
    </>
  );
}

function TakeOut({ device, why, onOut }: { device: Device; why: string | null; onOut: () => void }) {
  if (why) return null;
  return (
    <button type="button" className="copy" aria-label={`Take out: ${device.name}`} onClick={onOut}>
      Take out
    </button>
  );
}

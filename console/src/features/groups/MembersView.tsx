import { Autocomplete } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useAsOf } from "@/api/past";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { Empty } from "@/parts/Page";
import { VirtualList } from "@/parts/VirtualList";

type Device = Schemas["DeviceInfo"];

/** The devices of a group; those of a listed one are put in and taken out here. */
export function MembersView({ group }: { group: Schemas["GroupInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [typed, setTyped] = useState("");
  const [words] = useDebouncedValue(typed.trim(), 200);
  const found = useQuery({ queryKey: ["devices", "found", words], queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { filter: words, limit: 8 }, signal }), enabled: words.length > 1, retry: false });
  const move = useMutation({
    mutationFn: ({ device, isIn }: { device: string; isIn: boolean }) => request(isIn ? "put" : "delete", "/api/v1/groups/{slug}/devices/{device}", { path: { slug: group.slug, device } }),
    onSuccess: () => setTyped(""),
    onSettled: () => void queries.invalidateQueries({ queryKey: ["groups"] }),
  });
  const asOf = useAsOf();
  const isListed = !group.rule && asOf === undefined;
  return (
    <>
      {isListed && (
        <div className="toolbar">
          <Autocomplete className="grow" aria-label="Device to put in" placeholder="Name of a device to put in" value={typed} onChange={setTyped} data={(found.data?.items ?? []).map((device) => device.name)} />
          <Act variant="filled" forbidden={forbidden("PUT /api/v1/groups/{slug}/devices/{device}") ?? (typed.trim() === "" ? "Name a device first." : null)} onClick={() => move.mutate({ device: typed.trim(), isIn: true })}>
            Put 1 device in
          </Act>
        </div>
      )}
      {move.error && <ErrorNote error={move.error} />}
      <VirtualList
        label={`Devices of ${group.name}`}
        queryKey={["groups", group.slug, "devices", asOf ?? ""]}
        load={(skip, limit, signal) => request("get", "/api/v1/groups/{slug}/devices", { path: { slug: group.slug }, query: { skip, limit, asOf }, signal })}
        idOf={(device: Device) => device.id}
        columns={[
          { key: "name", title: "Name", width: "160px", cell: (device: Device) => <Link className="name" to="/devices/$device" params={{ device: device.name }}>{device.name}</Link> },
          { key: "kind", title: "Kind", width: "100px", cell: (device: Device) => device.kind },
          { key: "model", title: "Model", width: "minmax(100px, 1fr)", cell: (device: Device) => device.model },
          ...(asOf === undefined ? [{ key: "heard", title: "Last heard", width: "130px", isRight: true, cell: (device: Device) => <Moment at={device.lastHeard} only="relative" otherwise="never" /> }] : []),
          ...(isListed ? [{ key: "out", title: "Membership", width: "90px", isRight: true, cell: (device: Device) => <TakeOut device={device} why={forbidden("DELETE /api/v1/groups/{slug}/devices/{device}")} onOut={() => move.mutate({ device: device.id, isIn: false })} /> }] : []),
        ]}
        empty={<div className="section"><Empty title="No device is in it">{isListed && <code>bandejo group member add {group.slug} DEVICE</code>}</Empty></div>}
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

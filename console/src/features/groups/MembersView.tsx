import { Autocomplete, Modal } from "@mantine/core";
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

/** A device that is to come into the group, or to leave it. */
interface Move {
  device: string;
  name: string;
  isIn: boolean;
}

/** The devices of a group; those of a listed one are put in and taken out here. */
export function MembersView({ group }: { group: Schemas["GroupInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [typed, setTyped] = useState("");
  const [words] = useDebouncedValue(typed.trim(), 200);
  const found = useQuery({ queryKey: ["devices", "found", words], queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { filter: words, limit: 8 }, signal }), enabled: words.length > 1, retry: false });
  const [asked, setAsked] = useState<(Move & { says: string }) | null>(null);
  // What it starts and stops is looked at first, and asked about where it is anything.
  const look = useMutation({
    mutationFn: ({ device, isIn }: Move) => request("post", "/api/v1/groups/{slug}/devices/preview", { path: { slug: group.slug }, body: { devices: [device], isIn } }),
    onSuccess: (preview, it) => (preview.deployments > 0 ? setAsked({ ...it, says: preview.says }) : move.mutate(it)),
  });
  const move = useMutation({
    mutationFn: ({ device, isIn }: Move) => request(isIn ? "put" : "delete", "/api/v1/groups/{slug}/devices/{device}", { path: { slug: group.slug, device } }),
    onSuccess: () => {
      setTyped("");
      setAsked(null);
    },
    onSettled: () => void queries.invalidateQueries({ queryKey: ["groups"] }),
  });
  const asOf = useAsOf();
  const isListed = !group.rule && asOf === undefined;
  return (
    <>
      {isListed && (
        <div className="toolbar">
          <Autocomplete className="grow" aria-label="Device to put in" placeholder="Name of a device to put in" value={typed} onChange={setTyped} data={(found.data?.items ?? []).map((device) => device.name)} />
          <Act variant="filled" forbidden={forbidden("PUT /api/v1/groups/{slug}/devices/{device}") ?? (typed.trim() === "" ? "Name a device first." : null)} loading={look.isPending} onClick={() => look.mutate({ device: typed.trim(), name: typed.trim(), isIn: true })}>
            Put 1 device in
          </Act>
        </div>
      )}
      {(look.error ?? move.error) && !asked && <ErrorNote error={(look.error ?? move.error)!} />}
      <Modal opened={asked !== null} onClose={() => setAsked(null)} title={asked?.isIn ? `Put ${asked.name} into '${group.slug}'` : `Take ${asked?.name} out of '${group.slug}'`} closeButtonProps={{ "aria-label": "Close" }}>
        {asked && (
          <div className="form">
            <p>{asked.says}</p>
            {move.error && <ErrorNote error={move.error} />}
            <div className="acts" style={{ justifyContent: "flex-end" }}>
              <Act variant="filled" loading={move.isPending} onClick={() => move.mutate(asked)}>{asked.isIn ? "Put it in" : "Take it out"}</Act>
            </div>
          </div>
        )}
      </Modal>
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
          ...(isListed ? [{ key: "out", title: "Membership", width: "90px", isRight: true, cell: (device: Device) => <TakeOut device={device} why={forbidden("DELETE /api/v1/groups/{slug}/devices/{device}")} onOut={() => look.mutate({ device: device.id, name: device.name, isIn: false })} /> }] : []),
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

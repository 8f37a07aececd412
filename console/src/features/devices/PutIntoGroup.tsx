import { Modal, Select } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Command } from "@/parts/Command";
import { ErrorNote } from "@/parts/ErrorNote";
import { count, devices, quoted } from "@/parts/format";

/** So many are put into a group at once. */
const MOST = 1_000;

/** Puts all devices that fit a filter into a listed group. */
export function PutIntoGroup({ filter, total }: { filter: string; total: number }) {
  const { forbidden } = useSession();
  const [isOpen, setIsOpen] = useState(false);
  const why = forbidden("POST /api/v1/groups/{slug}/devices") ?? (total === 0 ? "No device fits." : total > MOST ? `At most ${count(MOST)} at once; narrow the filter, or make a group by this rule.` : null);
  return (
    <>
      <Act forbidden={why} onClick={() => setIsOpen(true)}>
        Put {count(total)} into a group…
      </Act>
      <Modal opened={isOpen} onClose={() => setIsOpen(false)} title={`Put ${devices(total)} into a group`} closeButtonProps={{ "aria-label": "Close" }}>
        {isOpen && <Choice filter={filter} total={total} close={() => setIsOpen(false)} />}
      </Modal>
    </>
  );
}

/** All of them by name, or where they are many, over a file. */
function commandOf(group: string, names: readonly string[], filter: string): string {
  return names.length <= 20
    ? `bandejo group member add ${group} ${names.map(quoted).join(" ")}`
    : `bandejo device list ${filter ? `${quoted(filter)} ` : ""}-o csv | tail -n +2 | cut -d, -f1 > devices.txt && bandejo group member add ${group} @devices.txt`;
}

function Choice({ filter, total, close }: { filter: string; total: number; close: () => void }) {
  const queries = useQueryClient();
  const [slug, setSlug] = useState<string | null>(null);
  const groups = useQuery({ queryKey: ["groups"], queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const found = useQuery({
    queryKey: ["devices", "all", filter],
    queryFn: async ({ signal }) => {
      const names: string[] = [];
      for (let cursor: string | null | undefined = ""; cursor !== null && cursor !== undefined && names.length < MOST; ) {
        const page: { items: { name: string }[]; next?: string | null } = await request("get", "/api/v1/devices", { query: { filter, cursor, limit: 500 }, signal });
        names.push(...page.items.map((device) => device.name));
        cursor = page.next;
      }
      return names;
    },
  });
  const put = useMutation({
    mutationFn: () => request("post", "/api/v1/groups/{slug}/devices", { path: { slug: slug! }, body: { devices: found.data! } }),
    onSuccess: (group) => {
      notifications.show({ message: `${group.name} holds ${devices(group.devices)} now.` });
      close();
    },
    onSettled: () => void queries.invalidateQueries(),
  });
  const names = found.data ?? [];
  const preview = useQuery({
    queryKey: ["groups", slug, "preview", filter, names.length],
    queryFn: ({ signal }) => request("post", "/api/v1/groups/{slug}/devices/preview", { path: { slug: slug! }, body: { devices: names, isIn: true }, signal }),
    enabled: slug !== null && names.length > 0,
  });
  return (
    <div className="form">
      <p>
        {names.slice(0, 6).join(", ")}
        {names.length > 6 && ` and ${count(names.length - 6)} more`}.
      </p>
      <Select label="Group" placeholder="A listed group" searchable data={(groups.data ?? []).filter((group) => !group.rule).map((group) => ({ value: group.slug, label: `${group.name} · ${group.devices}` }))} value={slug} onChange={setSlug} />
      <Command text={commandOf(slug ?? "GROUP", names, filter)} />
      {preview.data && <p role="status">{preview.data.says}</p>}
      {put.error && <ErrorNote error={put.error} />}
      <div className="acts" style={{ justifyContent: "flex-end" }}>
        <Act variant="filled" loading={put.isPending} forbidden={!slug ? "Choose a group first." : names.length !== total ? "The devices are being looked up." : null} onClick={() => put.mutate()}>
          Put {devices(total)} in
        </Act>
      </div>
    </div>
  );
}

import { Modal, Select } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys, OF_MEMBERS, renew } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Command } from "@/parts/Command";
import { ErrorNote } from "@/parts/ErrorNote";
import { count, devices, quoted } from "@/parts/format";

/** So many are put into a group at once. */
const MOST = 1_000;

/** Which devices: all that fit a filter and are in a group, or those that were chosen, by name. */
export interface Which {
  filter: string;
  group?: string | undefined;
  names?: readonly string[];
}

/** Puts devices into a listed group. */
export function PutIntoGroup({ which, total, done }: { which: Which; total: number; done?: () => void }) {
  const { forbidden } = useSession();
  const [isOpen, setIsOpen] = useState(false);
  const why = forbidden("POST /api/v1/groups/{slug}/devices") ?? (total === 0 ? "No device fits." : total > MOST ? `At most ${count(MOST)} at once; narrow the filter, or make a group by this rule.` : null);
  return (
    <>
      <Act forbidden={why} onClick={() => setIsOpen(true)}>
        Put {count(total)} into a group…
      </Act>
      <Modal opened={isOpen} onClose={() => setIsOpen(false)} title={`Put ${devices(total)} into a group`} closeButtonProps={{ "aria-label": "Close" }}>
        {isOpen && <Choice which={which} total={total} close={(isDone) => { setIsOpen(false); if (isDone) done?.(); }} />}
      </Modal>
    </>
  );
}

/** All of them by name, or where they are many, over a file. */
function commandOf(group: string, names: readonly string[], { filter, group: from, names: chosen }: Which): string {
  return chosen || names.length <= 20
    ? `bandejo group member add ${group} ${names.map(quoted).join(" ")}`
    : `bandejo device list ${filter ? `${quoted(filter)} ` : ""}${from ? `--group ${from} ` : ""}-o csv | tail -n +2 | cut -d, -f1 > devices.txt && bandejo group member add ${group} @devices.txt`;
}

function Choice({ which, total, close }: { which: Which; total: number; close: (isDone: boolean) => void }) {
  const queries = useQueryClient();
  const [slug, setSlug] = useState<string | null>(null);
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const found = useQuery({
    queryKey: keys.devices("all", which),
    queryFn: async ({ signal }) => {
      if (which.names) return [...which.names];
      const names: string[] = [];
      for (let cursor: string | null | undefined = ""; cursor !== null && cursor !== undefined && names.length < MOST; ) {
        const page: { items: { name: string }[]; next?: string | null } = await request("get", "/api/v1/devices", { query: { filter: which.filter || undefined, group: which.group, cursor, limit: 500 }, signal });
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
      close(true);
    },
    onSettled: () => void renew(queries, ...OF_MEMBERS),
  });
  const names = found.data ?? [];
  const preview = useQuery({
    queryKey: keys.group(slug, "preview", names),
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
      <Command text={commandOf(slug ?? "GROUP", names, which)} />
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

import { Button, Select } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys, OF_MEMBERS, renew } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote } from "@/parts/ErrorNote";

/** Puts a device that joined without a group into one; until then it gets nothing. */
export function SortInto({ device }: { device: Schemas["DeviceInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [slug, setSlug] = useState<string | null>(null);
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const put = useMutation({
    mutationFn: () => request("put", "/api/v1/groups/{slug}/devices/{device}", { path: { slug: slug!, device: device.id } }),
    onSettled: () => void renew(queries, ...OF_MEMBERS),
  });
  return (
    <>
      <div className="note">
        <p>
          <strong>It is unsorted.</strong> It gets nothing until somebody puts it into a listed group.
        </p>
        <Select aria-label="Group" placeholder="Group" searchable data={(groups.data ?? []).filter((group) => group.kind === "listed").map((group) => ({ value: group.slug, label: group.name }))} value={slug} onChange={setSlug} />
        {slug ? (
          <Act variant="filled" forbidden={forbidden("PUT /api/v1/groups/{slug}/devices/{device}")} loading={put.isPending} onClick={() => put.mutate()}>
            Put 1 device into {slug}
          </Act>
        ) : (
          <Button disabled>Put it there</Button>
        )}
      </div>
      {put.error && <ErrorNote error={put.error} />}
    </>
  );
}

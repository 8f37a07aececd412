import { NumberInput, Select } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Command } from "@/parts/Command";
import { ErrorNote } from "@/parts/ErrorNote";
import { count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty, Loading } from "@/parts/Page";

/** Codes with which devices join; a code's text is seen once, when it is made. */
export function JoinCodesView() {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [group, setGroup] = useState<string | null>(null);
  const [uses, setUses] = useState<number | string>(1);
  const [hours, setHours] = useState<number | string>(24);
  const why = forbidden("GET /api/v1/join-codes");
  const codes = useQuery({ queryKey: keys.joinCodes, queryFn: ({ signal }) => request("get", "/api/v1/join-codes", { signal }), enabled: why === null });
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const done = () => void queries.invalidateQueries({ queryKey: keys.joinCodes });
  const make = useMutation({ mutationFn: () => request("post", "/api/v1/join-codes", { body: { group, uses: Number(uses), hours: Number(hours) } }), onSettled: done });
  const takeBack = useMutation({ mutationFn: (id: string) => request("delete", "/api/v1/join-codes/{id}", { path: { id } }), onSettled: done });
  if (why) return <div className="note"><p>{why}</p></div>;
  return (
    <>
      <div className="toolbar" style={{ alignItems: "end" }}>
        <Select label="Devices land in" placeholder="no group: unsorted" clearable allowDeselect value={group} onChange={setGroup} data={(groups.data ?? []).filter((each) => !each.rule).map((each) => ({ value: each.slug, label: each.name }))} />
        <NumberInput label="For how many devices" value={uses} onChange={setUses} min={1} max={10_000} w={170} />
        <NumberInput label="Good for hours" value={hours} onChange={setHours} min={1} max={720} w={140} />
        <Act variant="filled" forbidden={forbidden("POST /api/v1/join-codes")} loading={make.isPending} onClick={() => make.mutate()}>
          Make a code for {count(Number(uses))}
        </Act>
      </div>
      {(make.error || takeBack.error) && <ErrorNote error={make.error ?? takeBack.error} />}
      {make.data?.code && (
        <div className="note">
          <p>
            <strong>{make.data.code}</strong> It is shown this once. On the device:
            <Command text={`bandejo-agent join --service ${window.location.origin} --code ${make.data.code}`} />
          </p>
        </div>
      )}
      {!codes.data && !codes.error && <Loading what="the codes" />}
      {codes.data?.length === 0 && !make.data && <Empty title="No code is good now">A code that is used up or has expired is not listed any more.</Empty>}
      {codes.data && codes.data.length > 0 && (
        <div className="section sheet scroll-x">
          <table className="plain">
            <thead>
              <tr><th>Into</th><th className="number">Devices left</th><th>Expires</th><th>By</th><th><span className="visually-hidden">Act</span></th></tr>
            </thead>
            <tbody>
              {codes.data.map((code) => (
                <tr key={code.id}>
                  <td>{code.group ?? <span className="quiet">no group</span>}</td>
                  <td className="number">{count(code.usesLeft)}</td>
                  <td><Moment at={code.expires} /></td>
                  <td>{code.by}</td>
                  <td className="number"><button type="button" className="copy" aria-label={`Take back: code of ${code.by}`} onClick={() => takeBack.mutate(code.id)}>Take back</button></td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}

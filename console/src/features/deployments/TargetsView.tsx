import { Button, Menu } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { keys, ofDeployment, renew } from "@/api/keys";
import { csvOf, request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { choosing, ChosenBar, useChosen } from "@/parts/choosing";
import { FilterField } from "@/parts/FilterField";
import { count, devices, MOMENT_WIDTH, quoted, retried } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty } from "@/parts/Page";
import { StateGlyph, StateMark } from "@/parts/StateMark";
import { lookOf, STATES } from "@/parts/states";
import { type Column, VirtualList } from "@/parts/VirtualList";

type Target = Schemas["TargetInfo"];
const route = getRouteApi("/deployments/$deployment");
const RETRIABLE = ["failed", "lost"];

/** Every target with its reason and what comes next; filtered, sorted, exported, tried again. */
export function TargetsView({ it }: { it: Schemas["DeploymentInfo"] }) {
  const search = route.useSearch();
  const go = useNavigate({ from: "/deployments/$deployment" });
  const { forbidden } = useSession();
  const [question, setQuestion] = useState<Question | null>(null);
  const queries = useQueryClient();
  const picked = useChosen();
  const done = () => {
    picked.clear();
    void renew(queries, ...ofDeployment(it.id));
  };
  const chosen = (search.state ?? "").split(",").filter(Boolean);
  const query = { state: search.state, wave: search.wave, filter: search.filter, sort: search.sort ?? "state", asOf: search.asOf };
  const retriable = useQuery({
    queryKey: keys.deployment(it.id, "retriable", search.wave ?? "", search.filter ?? ""),
    queryFn: ({ signal }) => request("get", "/api/v1/deployments/{deployment}/targets", { path: { deployment: it.id }, query: { ...query, state: RETRIABLE.join(","), limit: 500 }, signal }),
    retry: false,
    enabled: !search.asOf,
  });
  const failed = retriable.data?.items ?? [];
  const isAll = !search.wave && !search.filter && retriable.data?.total === retriable.data?.items.length;
  const set = (change: Partial<typeof search>) => void go({ search: (now) => ({ ...now, ...change }), replace: true, resetScroll: false });
  const address = csvOf(`/api/v1/deployments/${it.id}/targets`, query);

  return (
    <>
      <div className="toolbar">
        <FilterField label={search.asOf ? "Filter targets by words" : "Filter targets by a rule or by words"} hint={search.asOf && "Words of the device's name"} value={search.filter ?? ""} onChange={(filter) => set({ filter })} />
        {!search.asOf && <Act forbidden={failed.length === 0 ? "Nothing that failed or is lost fits this filter." : forbidden("POST /api/v1/deployments/{deployment}/retry")} onClick={() => setQuestion(retry(it, failed.map((target) => [target.device, target.deviceName]), isAll, done))}>
          Try {count(failed.length)} again…
        </Act>}
        <Button component="a" href={address} download={`${it.name}.csv`}>
          Export CSV
        </Button>
        <WaveMenu it={it} wave={search.wave} onPick={(wave) => set({ wave })} />
      </div>
      <div className="chips" role="group" aria-label="States">
        {STATES.map((state) => [state, (search.wave ? it.waves.find((wave) => wave.name === search.wave)?.states : it.states)?.find((each) => each.name === state)?.count ?? 0] as const)
          .filter(([state, number]) => number > 0 || chosen.includes(state))
          .map(([state, number]) => (
            <button key={state} type="button" className="chip" aria-pressed={chosen.includes(state)} onClick={() => set({ state: (chosen.includes(state) ? chosen.filter((each) => each !== state) : [...chosen, state]).join(",") })}>
              <StateGlyph state={state} /> {lookOf(state).word} {count(number)}
            </button>
          ))}
      </div>
      <ChosenBar chosen={picked}>
        <Act onClick={() => setQuestion(retry(it, [...picked.names], false, done))}>Try {count(picked.names.size)} again…</Act>
      </ChosenBar>
      <VirtualList
        label="Targets"
        columns={[...(search.asOf || forbidden("POST /api/v1/deployments/{deployment}/retry") ? [] : [choosing(picked, (target: Target) => target.device, (target) => target.deviceName)]), ...columns(it, search.asOf !== undefined)]}
        queryKey={keys.deployment(it.id, "targets", query)}
        load={async (skip, limit, signal) => await request("get", "/api/v1/deployments/{deployment}/targets", { path: { deployment: it.id }, query: { ...query, skip, limit }, signal })}
        idOf={(target: Target) => target.device}
        sort={query.sort}
        onSort={(sort) => set({ sort })}
        empty={<Empty title="No target fits">Take a state, the wave or words off the filter.</Empty>}
      >
        {(total) => <p className="quiet list-said">{total === it.states.reduce((sum, state) => sum + state.count, 0) ? `All ${devices(total)}` : `${devices(total)} of ${count(it.states.reduce((sum, state) => sum + state.count, 0))}`}</p>}
      </VirtualList>
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}

function WaveMenu({ it, wave, onPick }: { it: Schemas["DeploymentInfo"]; wave: string | undefined; onPick: (wave: string) => void }) {
  return (
    <Menu position="bottom-end" shadow="sm">
      <Menu.Target>
        <button type="button" className="more">
          {wave ? `Wave: ${wave}` : "All waves"}
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => onPick("")}>All waves</Menu.Item>
        {it.waves.map((each) => (
          <Menu.Item key={each.name} onClick={() => onPick(each.name)}>
            {each.name} · {count(each.devices)}
          </Menu.Item>
        ))}
      </Menu.Dropdown>
    </Menu>
  );
}

function columns(it: Schemas["DeploymentInfo"], isPast: boolean): Column<Target>[] {
  const all: Column<Target>[] = [
    { key: "device", title: "Device", width: "136px", sort: "name", cell: (target) => <Link className="name" to="/devices/$device" params={{ device: target.deviceName }}>{target.deviceName}</Link> },
    { key: "state", title: "State", width: "128px", sort: "state", cell: (target) => <StateMark state={target.state} isLate={target.isLate} /> },
    { key: "why", title: "Why", width: "minmax(200px, 1fr)", cell: (target) => <Why target={target} /> },
    { key: "wave", title: "Wave", width: "110px", cell: (target) => <span title={target.wave ?? ""}>{target.wave ?? "–"}</span> },
    {
      key: "tries", title: "Tries", width: "60px", isRight: true,
      cell: (target) => target.tries === 0 ? <span className="quiet">–</span> : isPast ? `${target.tries} of ${target.maxTries}` : <Link to="." search={(now: Record<string, string>) => ({ ...now, device: target.deviceName })} resetScroll={false} aria-label={`Tries of ${target.deviceName}: ${target.tries} of ${target.maxTries}. Show their logs`}>{target.tries} of {target.maxTries}</Link>,
    },
    { key: "since", title: "Since", width: MOMENT_WIDTH, sort: "since", isRight: true, cell: (target) => <Moment at={target.since} only="moment" /> },
  ];
  return all.filter((column) => column.key !== "wave" || it.waves.length > 1);
}

function Why({ target }: { target: Target }) {
  return (
    <span title={target.reason}>
      {target.next && <strong><Moment at={target.next} only="relative" />: </strong>}
      {target.reason}
    </span>
  );
}

/**
 * Has another try set for devices.
 * @param targets Their identities and names.
 * @param isAll Whether these are all of the deployment that failed or are lost.
 */
function retry(it: Schemas["DeploymentInfo"], targets: (readonly [id: string, name: string])[], isAll: boolean, done: () => void): Question {
  const names = targets.map(([, name]) => name);
  return {
    title: `Try again: ${it.name}`,
    says: <p>{devices(targets.length)} get their tries anew, at their next check-in: {names.slice(0, 6).join(", ")}{names.length > 6 && ` and ${names.length - 6} more`}.</p>,
    act: `Try again on ${devices(targets.length)}`,
    reason: "may",
    command: (reason) => `bandejo deployment retry ${quoted(it.name)}${isAll ? "" : ` --device ${names.map(quoted).join(" ")}`} --reason ${quoted(reason)}`,
    run: async (reason) => {
      try {
        const answer = await request("post", "/api/v1/deployments/{deployment}/retry", { path: { deployment: it.id }, body: { devices: targets.map(([id]) => id), reason } });
        return retried(answer);
      } finally {
        done();
      }
    },
  };
}

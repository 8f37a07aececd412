import { Button, Checkbox, Menu, Select } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { keys } from "@/api/keys";
import { csvOf, request, type Schemas } from "@/api/request";
import { choosing, ChosenBar, useChosen } from "@/parts/choosing";
import { FilterField } from "@/parts/FilterField";
import { count, devices, quoted } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty, Page } from "@/parts/Page";
import { Trend } from "@/parts/Trend";
import { PutIntoGroup } from "./PutIntoGroup";
import { type Column, VirtualList } from "@/parts/VirtualList";

type Device = Schemas["DeviceInfo"];
const route = getRouteApi("/devices");

/** All devices: filtered by rule or words, any fact as a column, all of it in the address. */
export default function DevicesPage() {
  const search = route.useSearch();
  const [isOpen, setIsOpen] = useState(search.days !== undefined);
  const go = useNavigate({ from: "/devices" });
  const set = (change: Partial<typeof search>) => void go({ search: (now) => ({ ...now, ...change }), replace: true, resetScroll: false });
  const query = { filter: search.filter, group: search.group || undefined, sort: search.sort, columns: search.columns };
  const chosen = useChosen();
  const facts = useQuery({ queryKey: keys.facts, queryFn: ({ signal }) => request("get", "/api/v1/facts", { signal }), staleTime: 60_000 });
  const service = useQuery({ queryKey: keys.service, queryFn: ({ signal }) => request("get", "/api/v1/service", { signal }) });
  const shown = (search.columns ?? "").split(",").filter(Boolean);
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const first = useQuery({ queryKey: keys.devices(query, 0), queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { ...query, skip: 0, limit: 100 }, signal }), retry: false });
  const csv = csvOf("/api/v1/devices", query);
  const total = first.data?.total;

  return (
    <Page title="Devices" lead={total == null ? undefined : search.filter || search.group ? `${devices(total)} of ${count(service.data?.devices ?? total)} fit.` : `${devices(total)} have joined.`} command={`bandejo device list${search.filter ? ` ${quoted(search.filter)}` : ""}${search.group ? ` --group ${search.group}` : ""}${search.sort ? ` --sort=${search.sort}` : ""}`}>
      <details className="section" open={isOpen} onToggle={(event) => setIsOpen(event.currentTarget.open)}>
        <summary>The size of the fleet, from day to day</summary>
        {isOpen && <Trend what="fleet" title="Devices by kind" empty="There was no device on these days" />}
      </details>
      <div className="toolbar">
        <FilterField label="Filter devices by a rule or by words" value={search.filter ?? ""} onChange={(filter) => set({ filter })} />
        <button type="button" className="chip" aria-pressed={search.filter === "unsorted"} onClick={() => set({ filter: search.filter === "unsorted" ? "" : "unsorted" })}>
          Unsorted
        </button>
        <Select aria-label="Group" placeholder="All groups" clearable searchable w={170} data={(groups.data ?? []).map((group) => ({ value: group.slug, label: group.name }))} value={search.group || null} onChange={(group) => set({ group: group ?? "" })} />
        <Menu position="bottom-end" shadow="sm" closeOnItemClick={false} width={300}>
          <Menu.Target>
            <button type="button" className="more">
              Columns
            </button>
          </Menu.Target>
          <Menu.Dropdown mah={420} style={{ overflowY: "auto" }}>
            {facts.data?.filter((fact) => !["name", "kind", "site", "model"].includes(fact.name)).map((fact) => (
              <Menu.Item key={fact.name} component="div" onClick={() => set({ columns: (shown.includes(fact.name) ? shown.filter((each) => each !== fact.name) : [...shown, fact.name]).join(",") })}>
                <Checkbox size="xs" readOnly tabIndex={-1} checked={shown.includes(fact.name)} label={fact.name} description={fact.meaning} />
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
        {chosen.names.size === 0 && (search.filter || search.group) && total != null && <PutIntoGroup which={{ filter: search.filter ?? "", group: query.group }} total={total} />}
        <Button component="a" href={csv} download="devices.csv">
          Export CSV
        </Button>
      </div>
      <ChosenBar chosen={chosen}>
        <PutIntoGroup which={{ filter: "", names: [...chosen.names.values()] }} total={chosen.names.size} done={chosen.clear} />
      </ChosenBar>
      <VirtualList
        label="Devices"
        columns={[choosing(chosen, (device: Device) => device.id, (device) => device.name), ...columns(shown)]}
        queryKey={keys.devices(query)}
        load={async (skip, limit, signal) => await request("get", "/api/v1/devices", { query: { ...query, skip, limit }, signal })}
        idOf={(device: Device) => device.id}
        sort={search.sort ?? "name"}
        onSort={(sort) => set({ sort: sort === "name" ? "" : sort })}
        empty={search.filter || search.group ? <Empty title="No device fits">Take words off the filter, or look at a condition of the rule alone.</Empty> : <FirstDevice />}
      />
    </Page>
  );
}

function FirstDevice() {
  return (
    <Empty title="No device has joined yet">
      Make a join code, then run the agent on the device with it:
      <code>bandejo device join-code new --group GROUP</code>
      <Link to="/settings" search={{ view: "join-codes" }}>
        Make a join code
      </Link>
    </Empty>
  );
}

function columns(facts: string[]): Column<Device>[] {
  return [
    { key: "name", title: "Name", width: "136px", sort: "name", cell: (device) => <Link className="name" to="/devices/$device" params={{ device: device.name }}>{device.name}</Link> },
    { key: "kind", title: "Kind", width: "80px", sort: "kind", cell: (device) => device.kind },
    { key: "site", title: "Site", width: "64px", sort: "site", cell: (device) => device.site },
    { key: "model", title: "Model", width: "minmax(88px, 1fr)", sort: "model", cell: (device) => device.model },
    { key: "os", title: "System", width: "minmax(88px, 1fr)", sort: "os.version", cell: (device) => device.os },
    ...facts.map<Column<Device>>((fact, at) => ({ key: fact, title: fact, width: "minmax(84px, 130px)", sort: fact.startsWith("app ") ? undefined : fact, cell: (device) => device.columns?.[at] ?? <span className="quiet">–</span> })),
    { key: "proof", title: "Proven", width: "112px", cell: (device) => <Standing device={device} /> },
    { key: "heard", title: "Last heard", width: "110px", sort: "heard", isRight: true, cell: (device) => <Moment at={device.lastHeard} only="relative" otherwise="never" /> },
  ];
}

function Standing({ device }: { device: Device }) {
  if (device.isUnsorted) return <span className="quiet">unsorted</span>;
  const all = device.met + device.unmet;
  if (all === 0) return <span className="quiet">nothing asked</span>;
  return device.unmet === 0 ? <>all {count(all)}</> : <><strong>{count(device.unmet)} open</strong> of {count(all)}</>;
}

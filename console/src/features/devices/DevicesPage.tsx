import { Button, Checkbox, Menu } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { request, type Schemas } from "@/api/request";
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
  const [isOpen, setIsOpen] = useState(false);
  const go = useNavigate({ from: "/devices" });
  const set = (change: Partial<typeof search>) => void go({ search: (now) => ({ ...now, ...change }), replace: true, resetScroll: false });
  const query = { filter: search.filter, sort: search.sort, columns: search.columns };
  const facts = useQuery({ queryKey: ["facts"], queryFn: ({ signal }) => request("get", "/api/v1/facts", { signal }), staleTime: 60_000 });
  const service = useQuery({ queryKey: ["service"], queryFn: ({ signal }) => request("get", "/api/v1/service", { signal }) });
  const chosen = (search.columns ?? "").split(",").filter(Boolean);
  const first = useQuery({ queryKey: ["devices", query, 0], queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { ...query, skip: 0, limit: 100 }, signal }), retry: false });
  const csv = `/api/v1/devices?${new URLSearchParams(Object.entries({ ...query, format: "csv" }).filter((pair): pair is [string, string] => !!pair[1]))}`;
  const total = first.data?.total;

  return (
    <Page title="Devices" lead={total == null ? undefined : search.filter ? `${devices(total)} of ${count(service.data?.devices ?? total)} fit.` : `${devices(total)} have joined.`} command={`bandejo device list${search.filter ? ` ${quoted(search.filter)}` : ""}`}>
      <details className="section" onToggle={(event) => setIsOpen(event.currentTarget.open)}>
        <summary>The size of the fleet, from day to day</summary>
        {isOpen && <Trend what="fleet" title="Devices by kind" empty="There was no device on these days" />}
      </details>
      <div className="toolbar">
        <FilterField label="Filter devices by a rule or by words" value={search.filter ?? ""} onChange={(filter) => set({ filter })} />
        <button type="button" className="chip" aria-pressed={search.filter === "unsorted"} onClick={() => set({ filter: search.filter === "unsorted" ? "" : "unsorted" })}>
          Unsorted
        </button>
        <Menu position="bottom-end" shadow="sm" closeOnItemClick={false} width={300}>
          <Menu.Target>
            <button type="button" className="more">
              Columns
            </button>
          </Menu.Target>
          <Menu.Dropdown mah={420} style={{ overflowY: "auto" }}>
            {facts.data?.filter((fact) => !["name", "kind", "site", "model"].includes(fact.name)).map((fact) => (
              <Menu.Item key={fact.name} component="div" onClick={() => set({ columns: (chosen.includes(fact.name) ? chosen.filter((each) => each !== fact.name) : [...chosen, fact.name]).join(",") })}>
                <Checkbox size="xs" readOnly tabIndex={-1} checked={chosen.includes(fact.name)} label={fact.name} description={fact.meaning} />
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
        {search.filter && total != null && <PutIntoGroup filter={search.filter} total={total} />}
        <Button component="a" href={csv} download="devices.csv">
          Export CSV
        </Button>
      </div>
      <VirtualList
        label="Devices"
        columns={columns(chosen)}
        queryKey={["devices", query]}
        load={async (skip, limit, signal) => await request("get", "/api/v1/devices", { query: { ...query, skip, limit }, signal })}
        idOf={(device: Device) => device.id}
        sort={search.sort ?? "name"}
        onSort={(sort) => set({ sort: sort === "name" ? "" : sort })}
        empty={search.filter ? <Empty title="No device fits">Take words off the filter, or look at a condition of the rule alone.</Empty> : <FirstDevice />}
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
    { key: "model", title: "Model", width: "minmax(100px, 1fr)", sort: "model", cell: (device) => device.model },
    { key: "os", title: "System", width: "minmax(100px, 1fr)", sort: "os.version", cell: (device) => device.os },
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

import { Button, SegmentedControl } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { count, share } from "@/parts/format";
import { Empty, Loading, Page } from "@/parts/Page";
import { Trend } from "@/parts/Trend";
import { CountBar } from "./CountBar";
import { LateList } from "./LateList";

type Row = Schemas["ComplianceRow"];
const route = getRouteApi("/compliance");

/** What is proven, what is not, and what nobody knows; each figure opens into its devices. */
export default function CompliancePage() {
  const search = route.useSearch();
  const go = useNavigate({ from: "/compliance" });
  const by = search.by ?? "app";
  const asOf = search.asOf;
  const fresh = asOf ? Infinity : 5_000;
  const fleet = useQuery({ queryKey: keys.compliance("fleet", asOf), queryFn: ({ signal }) => request("get", "/api/v1/compliance", { query: { by: "fleet", asOf }, signal }), staleTime: fresh });
  const rows = useQuery({ queryKey: keys.compliance(by, asOf), queryFn: ({ signal }) => request("get", "/api/v1/compliance", { query: { by, asOf }, signal }), staleTime: fresh });
  const whole = fleet.data?.[0]?.counts;
  const narrowed = search.only || search.deployment || search.app || search.group;
  return (
    <Page
      title="Compliance"
      lead={whole && <Lead counts={whole} />}
      command={(narrowed ? `bandejo compliance export${search.only ? ` --only ${search.only}` : ""}${search.deployment ? ` --deployment ${search.deployment}` : ""}${search.app ? ` --app ${search.app}` : ""}${search.group ? ` --group ${search.group}` : ""}` : `bandejo compliance show --by ${by}`) + (asOf ? ` --as-of ${asOf}` : "")}
      acts={<Button component="a" href={`/api/v1/compliance/targets?format=csv${asOf ? `&asOf=${encodeURIComponent(asOf)}` : ""}`} download="compliance.csv">Export CSV</Button>}
    >
      {fleet.error && <ErrorNote error={fleet.error} retry={() => void fleet.refetch()} />}
      {whole && <div className="section"><CountBar counts={whole} height={18} /></div>}
      {narrowed ? (
        <LateList />
      ) : (
        <>
          <div className="toolbar">
            <SegmentedControl aria-label="Counted by" value={by} onChange={(value) => void go({ search: { by: value }, replace: true, resetScroll: false })} data={[{ value: "app", label: "By app" }, { value: "group", label: "By group" }, { value: "deployment", label: "By deployment" }]} />
            {whole && whole.late + whole.lateUnknown > 0 && (
              <Link to="/compliance" search={{ only: "late" }}>
                See the {count(whole.late + whole.lateUnknown)} late
              </Link>
            )}
            {whole && whole.unmet + whole.unknown > 0 && (
              <Link to="/compliance" search={{ only: "open" }}>
                See all {count(whole.unmet + whole.unknown)} unmet or unknown
              </Link>
            )}
          </div>
          {rows.error && !fleet.error && <ErrorNote error={rows.error} retry={() => void rows.refetch()} />}
          {!rows.data && !rows.error && <Loading what="the figures" />}
          {rows.data && <Table rows={rows.data} />}
          {!asOf && <Trend what="compliance" title="From day to day" empty="Nothing was asked on these days" />}
        </>
      )}
    </Page>
  );
}

function Lead({ counts }: { counts: Row["counts"] }) {
  const late = counts.late + counts.lateUnknown;
  return (
    <>
      <strong>{share(counts.met, counts.bottom)} proven.</strong> {count(counts.unmet)} unmet, {count(counts.unknown)} unknown{late > 0 && <>, of both together <strong>{count(late)} late</strong>{counts.lateUnknown > 0 && ` (${count(counts.lateUnknown)} of them not heard from)`}</>}. {count(counts.notNeeded)} not needed.
    </>
  );
}

function Table({ rows }: { rows: readonly Row[] }) {
  if (rows.length === 0) return <Empty title="Nothing is deployed">What is deployed is counted here.</Empty>;
  return (
    <div className="sheet scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th style={{ minWidth: 120 }}>What</th>
            <th style={{ width: "30%" }}>Counts</th>
            <th className="number">Met</th>
            <th className="number">Unmet</th>
            <th className="number">Unknown</th>
            <th className="number">Late</th>
            <th className="number">Not needed</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.id}>
              <td>
                <RowName row={row} />
              </td>
              <td>
                <CountBar counts={row.counts} height={12} />
              </td>
              <td className="number">{row.counts.bottom === 0 ? <span className="quiet">nothing asked</span> : share(row.counts.met, row.counts.bottom)}</td>
              <td className="number"><Figure row={row} only="unmet" value={row.counts.unmet} /></td>
              <td className="number"><Figure row={row} only="unknown" value={row.counts.unknown} /></td>
              <td className="number"><Figure row={row} only="late" value={row.counts.late + row.counts.lateUnknown} /></td>
              <td className="number">{count(row.counts.notNeeded)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function RowName({ row }: { row: Row }) {
  if (row.by === "app") return <Link to="/apps/$app" params={{ app: row.id }}>{row.name}</Link>;
  if (row.by === "group") return <Link to="/groups/$group" params={{ group: row.id }}>{row.name}</Link>;
  return <Link to="/deployments/$deployment" params={{ deployment: row.id }}>{row.name}</Link>;
}

function Figure({ row, only, value }: { row: Row; only: string; value: number }) {
  if (value === 0) return <span className="quiet">0</span>;
  return (
    <Link to="/compliance" search={{ only, [row.by]: row.id }} aria-label={`${value} ${only} in ${row.name}`}>
      {count(value)}
    </Link>
  );
}

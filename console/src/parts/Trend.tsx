import { SegmentedControl } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "./ErrorNote";
import { count, percent } from "./format";
import { Empty, Loading } from "./Page";
import { versionLooks } from "./versions";

interface TrendProps {
  what: "compliance" | "fleet" | "versions";
  app?: string;
  title: string;
  /** What is said where there is nothing to draw. */
  empty: string;
}

const COMPLIANCE = ["count-met", "count-unmet", "count-late", "count-unknown"];
const days = new Intl.DateTimeFormat(undefined, { day: "numeric", month: "short", timeZone: "UTC" });
const wholeDays = new Intl.DateTimeFormat(undefined, { weekday: "short", day: "numeric", month: "short", year: "numeric", timeZone: "UTC" });

/** How many labels stand below a drawing at most. */
const MOST_LABELS = 8;

const USUAL = "30";

/** How something went from day to day: drawn, and as a table. */
export function Trend({ what, app, title, empty }: TrendProps) {
  // In the address, so that it opens as it was.
  const { days: length = USUAL } = useSearch({ strict: false }) as { days?: string };
  const go = useNavigate();
  const setLength = (days: string) => void go({ to: ".", search: (now: object) => ({ ...now, days: days === USUAL ? "" : days }), replace: true, resetScroll: false });
  const found = useQuery({
    queryKey: keys.trend(what, app, length),
    queryFn: ({ signal }) => request("get", "/api/v1/trends/{what}", { path: { what }, query: { app, days: Number(length) }, signal }),
    staleTime: 60_000,
  });
  return (
    <section className="section">
      <div className="toolbar">
        <h2 className="grow">{title}</h2>
        <SegmentedControl aria-label="How many days" value={length} onChange={setLength} data={[["14", "14 days"], ["30", "30 days"], ["90", "90 days"], ["365", "A year"]].map(([value, label]) => ({ value: value!, label: label! }))} />
      </div>
      {found.error && <ErrorNote error={found.error} retry={() => void found.refetch()} />}
      {!found.data && !found.error && <Loading what="the days" />}
      {found.data && (found.data.parts.length === 0 || found.data.days.every((day) => day.counts.every((each) => each === 0)) ? <Empty title={empty} /> : <Drawing trend={found.data} what={what} title={title} />)}
    </section>
  );
}

function Drawing({ trend, what, title }: { trend: Schemas["TrendInfo"]; what: TrendProps["what"]; title: string }) {
  // Versions by how they stand, kinds of devices by their order.
  const looks = versionLooks(trend.standings ?? []);
  const fill = (part: number) => (what === "compliance" ? COMPLIANCE[part]! : looks[part] ?? `part-${Math.min(part, 5)}`);
  const top = nice(Math.max(...trend.days.map((day) => sum(day.counts))));
  const step = Math.max(1, Math.ceil(trend.days.length / MOST_LABELS));
  const last = trend.days.at(-1)!;
  const hasShare = what === "compliance";
  return (
    <div className="sheet">
      <div className="trend" role="img" aria-label={`${title}, ${trend.days.length === 1 ? "1 day" : `${trend.days.length} days`}. On the last: ${said(trend, last)}.`}>
        <div className="trend-scale" aria-hidden="true">
          <span>{count(top)}</span>
          <span>{count(top / 2)}</span>
          <span>0</span>
        </div>
        <div className="trend-days">
          {trend.days.map((day) => {
            const bars = day.counts.map((each, part) => each > 0 && <span key={trend.parts[part]} className={fill(part)} style={{ height: `${(each / top) * 100}%` }} />);
            return (
              <span key={day.day} className="trend-day" title={`${wholeDays.format(new Date(day.day))}: ${said(trend, day)}`}>
                {bars}
              </span>
            );
          })}
        </div>
        <div className="trend-labels" aria-hidden="true">
          {trend.days.map((day, at) => (
            <span key={day.day}>{(trend.days.length - 1 - at) % step === 0 && days.format(new Date(day.day))}</span>
          ))}
        </div>
      </div>
      <div className="version-words pad">
        {trend.parts.map((part, at) => (
          <span key={part}>
            <i className={`version-key ${fill(at)}`} aria-hidden="true" />
            {part} <span className="quiet">{trend.standings && trend.standings[at] !== "unknown" && `${trend.standings[at]} · `}{count(last.counts[at]!)}</span>
          </span>
        ))}
      </div>
      <details className="pad">
        <summary>The figures, day by day</summary>
        <div className="scroll-x">
          <table className="plain">
            <thead>
              <tr>
                <th>Day (its end, UTC)</th>
                {trend.parts.map((part) => <th key={part} className="number">{part}</th>)}
                <th className="number">All</th>
                {hasShare && <th className="number">Share met</th>}
              </tr>
            </thead>
            <tbody>
              {[...trend.days].reverse().map((day) => (
                <tr key={day.day}>
                  <th scope="row">{hasShare ? <Link to="/compliance" search={{ asOf: day.day }}>{wholeDays.format(new Date(day.day))}</Link> : wholeDays.format(new Date(day.day))}</th>
                  {day.counts.map((each, at) => <td key={trend.parts[at]} className="number">{count(each)}</td>)}
                  <td className="number">{count(sum(day.counts))}</td>
                  {hasShare && <td className="number">{percent(day.counts[0]!, sum(day.counts))}</td>}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </details>
    </div>
  );
}

function sum(counts: readonly number[]): number {
  return counts.reduce((all, each) => all + each, 0);
}

function said(trend: Schemas["TrendInfo"], day: Schemas["TrendDay"]): string {
  return trend.parts.map((part, at) => `${count(day.counts[at]!)} ${part}`).join(", ");
}

/** The next number that is good to read at the top of a scale, and to halve. */
export function nice(value: number): number {
  const size = 10 ** Math.floor(Math.log10(Math.max(value, 1)));
  return Math.max(2, [1, 2, 4, 6, 8, 10].map((times) => times * size).find((each) => each >= value)!);
}

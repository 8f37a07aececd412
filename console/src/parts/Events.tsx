import { Button } from "@mantine/core";
import { useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { request } from "@/api/request";
import { ErrorNote, isFailed } from "./ErrorNote";
import { Moment } from "./Moment";
import { Empty, Loading } from "./Page";

interface EventsProps {
  queryKey: readonly unknown[];
  query: EventQuery;
  empty: string;
  isAudit?: boolean;
  /** Shows of which deployment each line speaks. */
  namesOf?: ReadonlyMap<string, string>;
}

/** What lines are found by; all of it must fit. */
export interface EventQuery {
  topic?: string;
  deployment?: string;
  device?: string;
  group?: string;
  app?: string;
  by?: string;
  what?: string;
  words?: string;
  from?: string;
  to?: string;
}

/** Lines of what happened, newest first, as far back as somebody asks. */
export function Events({ queryKey, query, empty, isAudit, namesOf }: EventsProps) {
  const events = useInfiniteQuery({
    queryKey,
    queryFn: ({ pageParam, signal }) => (isAudit ? request("get", "/api/v1/audit", { query: { ...query, topic: undefined, cursor: pageParam, limit: 60 }, signal }) : request("get", "/api/v1/journal", { query: { ...query, cursor: pageParam, limit: 60 }, signal })),
    initialPageParam: "",
    getNextPageParam: (page) => page.next ?? undefined,
  });
  if (isFailed(events)) return <ErrorNote error={events.error} retry={() => void events.refetch()} />;
  if (!events.data) return <Loading what="what happened" />;
  const lines = events.data.pages.flatMap((page) => page.items);
  if (lines.length === 0) return <div className="section"><Empty title={empty} /></div>;
  return (
    <div className="section">
      <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr>
              <th style={{ width: 190 }}>When</th>
              <th>What</th>
              <th style={{ width: 120 }}>By</th>
            </tr>
          </thead>
          <tbody>
            {lines.map((line) => (
              <tr key={line.number}>
                <td>
                  <Moment at={line.at} />
                </td>
                <td>
                  {namesOf && line.deployment && namesOf.has(line.deployment) && (
                    <>
                      <Link to="/deployments/$deployment" params={{ deployment: line.deployment }}>
                        {namesOf.get(line.deployment)}
                      </Link>
                      :{" "}
                    </>
                  )}
                  {line.text}
                  {line.reason && <span className="quiet"> “{line.reason}”</span>}
                </td>
                <td>{line.by ?? <span className="quiet">the service</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {events.hasNextPage && (
        <p className="toolbar">
          <Button loading={events.isFetchingNextPage} onClick={() => void events.fetchNextPage()}>
            Show older
          </Button>
        </p>
      )}
    </div>
  );
}

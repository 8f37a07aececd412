import type { UseQueryResult } from "@tanstack/react-query";
import { Refused } from "@/api/request";
import { ErrorNote } from "./ErrorNote";
import { Loading, Page } from "./Page";

interface NotYetProps {
  query: UseQueryResult<unknown>;
  /** What the page would be called. */
  title: string;
  /** What it is a page of, such as `device`. */
  what: string;
  crumbs: { name: string; to: string }[];
}

/** Whether what a page is of is not there, or not any more. */
export function isGone(query: { error: unknown }): boolean {
  return query.error instanceof Refused && (query.error.status === 404 || query.error.status === 410);
}

/** In place of a page of one thing: it is asked for, it is not there, or it cannot be had. */
export function NotYet({ query, title, what, crumbs }: NotYetProps) {
  const wasThere = query.data !== undefined;
  return (
    <Page title={isGone(query) ? (wasThere ? `This ${what} is not there any more` : `No such ${what}`) : title} crumbs={crumbs}>
      {query.error ? <ErrorNote error={query.error} retry={isGone(query) ? undefined : () => void query.refetch()} /> : <Loading what={`the ${what}`} />}
    </Page>
  );
}

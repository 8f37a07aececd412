import { useQueries, keepPreviousData } from "@tanstack/react-query";
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useLayoutEffect, useRef, useState } from "react";
import { ErrorNote } from "./ErrorNote";
import { count } from "./format";
import { Loading } from "./Page";

/** A column of a long list. */
export interface Column<T> {
  key: string;
  title: string;
  /** Its title is for who cannot see what stands in it. */
  isTitleHidden?: boolean;
  /** A track of the grid, such as `minmax(120px, 1fr)`. */
  width: string;
  isRight?: boolean;
  /** What the service sorts by for it; without, it cannot be sorted by. */
  sort?: string;
  cell: (item: T) => ReactNode;
}

interface Chunk<T> {
  items: T[];
  total?: number | null;
}

interface VirtualListProps<T> {
  label: string;
  columns: Column<T>[];
  /** The key of the list as a whole; what is asked for and how. */
  queryKey: readonly unknown[];
  load: (skip: number, limit: number, signal: AbortSignal) => Promise<Chunk<T>>;
  idOf: (item: T) => string;
  sort?: string | undefined;
  onSort?: (sort: string) => void;
  empty: ReactNode;
  /** Told how many there are in all. */
  children?: (total: number) => ReactNode;
}

const ROW = 34;
const CHUNK = 100;

/** A list of any length: only what is seen is asked for and drawn. */
export function VirtualList<T>({ label, columns, queryKey, load, idOf, sort, onSort, empty, children }: VirtualListProps<T>) {
  const place = useRef<HTMLDivElement>(null);
  const [margin, setMargin] = useState(0);
  const [known, setKnown] = useState(CHUNK);
  const rows = useWindowVirtualizer({ count: known, estimateSize: () => ROW, overscan: 12, scrollMargin: margin });
  const seen = rows.getVirtualItems();
  const first = Math.floor((seen[0]?.index ?? 0) / CHUNK);
  const last = Math.floor((seen.at(-1)?.index ?? 0) / CHUNK);
  const wanted = Array.from({ length: last - first + 1 }, (_, at) => first + at);
  const chunks = useQueries({
    queries: wanted.map((chunk) => ({
      queryKey: [...queryKey, chunk],
      queryFn: ({ signal }: { signal: AbortSignal }) => load(chunk * CHUNK, CHUNK, signal),
      placeholderData: keepPreviousData,
    })),
  });
  // While rows far off are fetched, the list is as long as it was: without them it would fall together, and its reader to its beginning.
  const said = chunks.find((chunk) => chunk.data?.total != null)?.data?.total ?? null;
  const key = JSON.stringify(queryKey);
  const counted = useRef<{ key: string; total: number | null }>({ key, total: null });
  if (said !== null || counted.current.key !== key) counted.current = { key, total: said };
  const total = counted.current.total;
  const error = chunks.find((chunk) => chunk.error)?.error;

  useLayoutEffect(() => {
    if (total !== null && total !== known) setKnown(total);
  }, [total, known]);
  useLayoutEffect(() => {
    const offset = place.current ? place.current.getBoundingClientRect().top + window.scrollY : 0;
    if (Math.abs(offset - margin) > 1) setMargin(offset);
  });

  useEffect(() => {
    // A browser glides to the end, and stops where rows are drawn on the way.
    const jump = (event: KeyboardEvent) => {
      const isWriting = event.target instanceof Element && event.target.closest("input, textarea, select, [contenteditable], [role=dialog]") !== null;
      if ((event.key !== "End" && event.key !== "Home") || event.ctrlKey || event.altKey || event.shiftKey || event.metaKey || isWriting) return;
      event.preventDefault();
      window.scrollTo({ top: event.key === "End" ? document.documentElement.scrollHeight : 0, behavior: "instant" });
    };
    window.addEventListener("keydown", jump);
    return () => window.removeEventListener("keydown", jump);
  }, []);

  const template = { gridTemplateColumns: columns.map((column) => column.width).join(" ") };
  return (
    <>
      {total !== null && children?.(total)}
      {error && <ErrorNote error={error} retry={() => chunks.forEach((chunk) => void chunk.refetch())} />}
      {total === null && !error && <Loading what={label.toLowerCase()} />}
      {total === 0 && !error && empty}
      {total !== null && total > 0 && (
        <div className="list-scroll">
          <div className="list" role="table" aria-label={`${label}, ${count(total)} in all`} aria-rowcount={total + 1}>
            <div role="rowgroup">
              <div className="list-head" role="row" aria-rowindex={1} style={template}>
                {columns.map((column) => (
                  <ColumnTitle key={column.key} column={column} sort={sort} onSort={onSort} />
                ))}
              </div>
            </div>
            <div ref={place} role="rowgroup" style={{ height: rows.getTotalSize(), position: "relative" }}>
              {seen.map((row) => {
                const item = chunks[Math.floor(row.index / CHUNK) - first]?.data?.items[row.index % CHUNK];
                return (
                  <div key={item ? idOf(item) : `row ${row.index}`} className="list-row" role="row" aria-rowindex={row.index + 2} style={{ ...template, transform: `translateY(${row.start - margin}px)` }}>
                    {columns.map((column) => (
                      <div key={column.key} role="cell" className={column.isRight ? "right" : undefined}>
                        {item ? column.cell(item) : <span className="quiet">…</span>}
                      </div>
                    ))}
                  </div>
                );
              })}
            </div>
          </div>
        </div>
      )}
    </>
  );
}

function ColumnTitle<T>({ column, sort, onSort }: { column: Column<T>; sort?: string | undefined; onSort?: ((sort: string) => void) | undefined }) {
  const isOn = column.sort !== undefined && sort?.replace(/^-/, "") === column.sort;
  const isDown = isOn && sort!.startsWith("-");
  return (
    <div role="columnheader" className={column.isRight ? "right" : undefined} aria-sort={isOn ? (isDown ? "descending" : "ascending") : undefined}>
      {column.sort && onSort ? (
        <button type="button" className="sort" data-on={isOn || undefined} onClick={() => onSort(isOn && !isDown ? `-${column.sort}` : column.sort!)}>
          {column.title}
          {isOn && (isDown ? " ↓" : " ↑")}
        </button>
      ) : column.isTitleHidden ? (
        <span className="visually-hidden">{column.title}</span>
      ) : (
        column.title
      )}
    </div>
  );
}

import { Link } from "@tanstack/react-router";
import { type ReactNode, useEffect, useRef } from "react";
import { Command } from "./Command";

interface PageProps {
  title: string;
  /** Where this page hangs: name and address of each page above. */
  crumbs?: { name: string; to: string }[];
  /** The one sentence that answers what a person came for. */
  lead?: ReactNode;
  acts?: ReactNode;
  /** What shows the same in a terminal. */
  command?: string;
  mark?: ReactNode;
  children: ReactNode;
}

/** Whether a page was shown before: the first one is where the browser puts whoever opens it. */
let came = false;

/** A page: its title, what can be done, the sentence, the rest. */
export function Page({ title, crumbs, lead, acts, command, mark, children }: PageProps) {
  useEffect(() => {
    document.title = `${title} · Bandejo`;
  }, [title]);
  const head = useRef<HTMLHeadingElement>(null);
  useEffect(() => {
    // Whoever came by a link goes on from the page's head; whoever is at work in a field stays there.
    const at = document.activeElement;
    if (came && (at === null || at === document.body || at.closest("nav, .head, .crumbs") !== null)) head.current?.focus({ preventScroll: true });
    came = true;
  }, []);
  return (
    <>
      {crumbs && (
        <nav className="crumbs" aria-label="Where this is">
          {crumbs.map((crumb, at) => (
            <span key={crumb.to}>
              {at > 0 && " / "}
              <Link to={crumb.to}>{crumb.name}</Link>
            </span>
          ))}
        </nav>
      )}
      <div className="title-row">
        <div className="title-with-mark">
          {mark}
          <h1 ref={head} tabIndex={-1}>{title}</h1>
        </div>
        {acts && <div className="acts">{acts}</div>}
      </div>
      {lead && <p className="lead">{lead}</p>}
      {command && <Command text={command} />}
      {children}
    </>
  );
}

/** Says that there is nothing, and what would make something. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="sheet empty">
      <strong>{title}</strong>
      {children}
    </div>
  );
}

/** While the first answer is on its way. */
export function Loading({ what }: { what: string }) {
  return (
    <p className="loading" role="status">
      Asking for {what} …
    </p>
  );
}

import { Link } from "@tanstack/react-router";
import { ErrorNote } from "@/parts/ErrorNote";
import { Page } from "@/parts/Page";

/** An address that leads nowhere. */
export function NotThere() {
  return (
    <Page title="There is nothing here" lead="The address may be mistyped, or what it led to is gone.">
      <p className="section">
        <Link to="/">Go to Today</Link>
      </p>
    </Page>
  );
}

/** A page that failed. */
export function Fault({ error, reset }: { error: unknown; reset: () => void }) {
  return (
    <Page title="This page could not be shown">
      <ErrorNote error={error} retry={reset} />
    </Page>
  );
}

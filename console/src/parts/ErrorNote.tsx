import { Refused } from "@/api/request";

/** Whether there is nothing to be shown but what went wrong: what was there before is shown on while the service only does not answer. */
export function isFailed(query: { error: unknown; data: unknown }): boolean {
  return query.error !== null && (query.data === undefined || !(query.error instanceof Refused && query.error.isPassing));
}

/** What went wrong, as the service words it, with each finding and its place. */
export function ErrorNote({ error, retry }: { error: unknown; retry?: () => void }) {
  const refused = error instanceof Refused ? error : new Refused(0, "A fault of the console", error instanceof Error ? error.message : String(error));
  return (
    <div className="note bad" role="alert">
      <p>
        <strong>{refused.title}.</strong> {!refused.findings.some((finding) => finding.message.startsWith(refused.message) && finding.message !== refused.message) && refused.message}
        {refused.findings.length > 0 && refused.findings.some((finding) => finding.message !== refused.message) && (
          <span className="findings">
            {refused.findings.map((finding) => (
              <span key={finding.message + finding.where} style={{ display: "block" }}>
                {finding.where ? <code>{finding.where}: </code> : null}
                {finding.message}
              </span>
            ))}
          </span>
        )}
      </p>
      {retry && (
        <button type="button" className="copy" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  );
}

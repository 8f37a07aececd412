import { Refused } from "@/api/request";

/** What went wrong, as the service words it, with each finding and its place. */
export function ErrorNote({ error, retry }: { error: unknown; retry?: () => void }) {
  const refused = error instanceof Refused ? error : new Refused(0, "A fault of the console", error instanceof Error ? error.message : String(error));
  return (
    <div className="note bad" role="alert">
      <p>
        <strong>{refused.title}.</strong> {refused.message}
        {refused.status === 412 && " Nothing of yours was kept; what you see now is what is there."}
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

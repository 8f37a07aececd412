import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { type Schemas, text } from "@/api/request";
import { ErrorNote } from "./ErrorNote";
import { duration } from "./format";
import { Moment } from "./Moment";

/** One try with its outcome, and its log when asked for. */
export function Attempt({ attempt, isOpen }: { attempt: Schemas["AttemptInfo"]; isOpen?: boolean }) {
  const [isShown, setIsShown] = useState(isOpen ?? false);
  const log = useQuery({ queryKey: keys.attemptLog(attempt.id), queryFn: () => text(`/api/v1/attempts/${attempt.id}/log`), enabled: isShown && attempt.hasLog, staleTime: Number.POSITIVE_INFINITY });
  const took = attempt.endedAt ? duration(Date.parse(attempt.endedAt) - Date.parse(attempt.startedAt)) : null;
  return (
    <section className="sheet pad attempt">
      <p>
        <strong>
          {attempt.kind} {attempt.version}: {attempt.outcome ?? `at work (${attempt.phase})`}
          {attempt.exitCode != null && `, code ${attempt.exitCode}`}
        </strong>{" "}
        <span className="quiet">
          <Moment at={attempt.startedAt} />
          {took && `, took ${took}`}
        </span>
      </p>
      <p>{attempt.message}</p>
      {attempt.hasLog ? (
        <button type="button" className="copy" aria-expanded={isShown} onClick={() => setIsShown(!isShown)}>
          {isShown ? "Hide the log" : "Show the log"}
        </button>
      ) : (
        <p className="quiet">{attempt.outcome ? "It sent no log." : "Its log comes when it has ended."}</p>
      )}
      {isShown && log.error && <ErrorNote error={log.error} />}
      {isShown && log.data !== undefined && <pre className="log" tabIndex={0} aria-label="Log">{log.data || "(empty)"}</pre>}
    </section>
  );
}

import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { EventLine, type StreamState } from "@/api/events";
import { follow } from "@/api/live";
import { request } from "@/api/request";
import { moment } from "@/parts/format";

/** So long a line may be lost before anybody is told: a restart of the service is over by then. */
const PATIENCE = 1_500;

/** After so long out of sight a tab stops listening, milliseconds. */
const ALONE = 30_000;

/** Keeps what is on screen current, and says so when it is not. */
export function Behind() {
  const queries = useQueryClient();
  const [state, setState] = useState<StreamState>({ isLive: true });
  const line = useRef<EventLine | null>(null);

  useEffect(() => {
    let wasLost = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const stream = new EventLine(follow(queries), (next) => {
      clearTimeout(timer);
      if (next.isLive) {
        setState(next);
        // What was missed is sent again, but there is no telling how much; all that is on screen is asked for anew.
        if (wasLost) void queries.invalidateQueries();
        wasLost = false;
        return;
      }
      // A lost line can mean an ended session as well; asking tells which.
      if (!wasLost) void request("get", "/api/v1/service").catch(() => undefined);
      wasLost = true;
      timer = setTimeout(() => setState(next), Math.max(0, PATIENCE - (Date.now() - next.since)));
    });
    line.current = stream;
    stream.start();

    // A browser opens few lines to one service, so a tab that nobody sees lets go of its own after a while.
    let away: ReturnType<typeof setTimeout> | undefined;
    let isAway = false;
    const look = () => {
      clearTimeout(away);
      if (document.hidden) {
        away = setTimeout(() => {
          isAway = true;
          stream.stop();
        }, ALONE);
      } else if (isAway) {
        isAway = false;
        stream.start();
        void queries.invalidateQueries();
      }
    };
    document.addEventListener("visibilitychange", look);
    return () => {
      document.removeEventListener("visibilitychange", look);
      clearTimeout(away);
      clearTimeout(timer);
      stream.stop();
    };
  }, [queries]);

  if (state.isLive) return null;
  return (
    <div className="behind" role="status">
      <span>
        <strong>No connection since {moment(state.since, Date.now())}.</strong> What you see may be old. It is tried again by itself.
      </span>
      <button type="button" className="copy" onClick={() => line.current?.start()}>
        Try now
      </button>
    </div>
  );
}

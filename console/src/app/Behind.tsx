import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { StreamState } from "@/api/events";
import { follow } from "@/api/live";
import { OneLine } from "@/api/oneLine";
import { listenForAnswers, request } from "@/api/request";
import { moment } from "@/parts/format";
import { useSession } from "./session";

/** So long a line may be lost before anybody is told: a restart of the service is over by then. */
const PATIENCE = 1_500;

/** After so long out of sight a tab stops listening, milliseconds. */
const ALONE = 30_000;

/** Keeps what is on screen current, and says so when it is not. */
export function Behind() {
  const queries = useQueryClient();
  const [state, setState] = useState<StreamState>({ isLive: true });
  const [silentSince, setSilentSince] = useState<number | null>(null);
  const { renew } = useSession();
  const line = useRef<OneLine | null>(null);

  useEffect(() => {
    let wasLost = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const stream = new OneLine(follow(queries), (next) => {
      clearTimeout(timer);
      if (next.isLive) {
        setState(next);
        // What was missed is sent again, but there is no telling how much; all that is on screen is asked for anew.
        if (wasLost) {
          void queries.invalidateQueries();
          renew();
        }
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
    listenForAnswers((isAnswered) => setSilentSince((since) => (isAnswered ? null : (since ?? Date.now()))));

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
      stream.close();
      listenForAnswers(() => undefined);
    };
  }, [queries, renew]);

  const since = state.isLive ? silentSince : state.since;
  if (since === null) return null;
  return (
    <div className="behind" role="status">
      <span>
        <strong>{state.isLive ? "No answer" : "No connection"} since {moment(since, Date.now())}.</strong> What you see may be old. It is tried again by itself.
      </span>
      <button type="button" className="copy" onClick={() => { line.current?.start(); void queries.invalidateQueries(); }}>
        Try now
      </button>
    </div>
  );
}

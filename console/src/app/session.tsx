import { useQueryClient } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useState } from "react";
import { keepCsrfToken, listen, Refused, request, type Schemas } from "@/api/request";
import { seeClock } from "@/api/clock";
import { seeAsOf } from "@/api/past";
import { type Operation, rolesOf } from "@/api/roles";

export type Person = Schemas["SessionInfo"];

interface Session {
  person: Person;
  signOut: () => Promise<void>;
  /** Asks again who this is and what they may. */
  renew: () => void;
  /** Null where the person may; else why not, in words. */
  forbidden: (operation: Operation) => string | null;
}

const Current = createContext<Session | null>(null);

/** Who is signed in, and what they may. Only inside pages that need it. */
export function useSession(): Session {
  const session = useContext(Current);
  if (!session) throw new Error("Nobody is signed in here.");
  return session;
}

/** Why a person with these roles may not do something; null where they may. */
export function whyNot(person: { account: string; roles: readonly string[] }, operation: Operation): string | null {
  const needed: readonly string[] = rolesOf[operation];
  if (needed.some((role) => person.roles.includes(role))) return null;
  const [first] = needed;
  return `This takes the role ${first === "administrator" ? "administrator" : `${needed.filter((role) => role !== "administrator").join(" or ")}`}; ${person.account} has ${person.roles.join(", ")}. Ask an administrator.`;
}

interface SessionGateProps {
  children: ReactNode;
  signIn: (signedIn: (person: Person) => void, notice: string | null) => ReactNode;
}

const MARK = "bandejo-signed-in";

/** How often it is asked again who is signed in while the service reads its state; a second lies between. */
const MOST_PATIENCE = 20;

/** Remembers that somebody signed in here, so that who did not is not asked about in vain. The session itself is in a cookie that no script can read. */
function mark(isIn: boolean): void {
  try {
    if (isIn) localStorage.setItem(MARK, "yes");
    else localStorage.removeItem(MARK);
  } catch {
    // Without a place to remember it, the service is asked each time.
  }
}

function isMarked(): boolean {
  try {
    return localStorage.getItem(MARK) !== null;
  } catch {
    return true;
  }
}

/** Shows the pages to who is signed in, and the sign-in to who is not. The address stays, so that a link leads where it should afterwards. */
export function SessionGate({ children, signIn }: SessionGateProps) {
  const [person, setPerson] = useState<Person | null | "asking">("asking");
  const [notice, setNotice] = useState<string | null>(null);
  const [isOver, setIsOver] = useState(false);
  const queries = useQueryClient();

  const take = useCallback((signedIn: Person) => {
    mark(true);
    keepCsrfToken(signedIn.csrfToken);
    setNotice(null);
    setIsOver(false);
    setPerson((before) => {
      // Somebody else starts with nothing of what the one before saw.
      if (before && before !== "asking" && before.account !== signedIn.account) queries.clear();
      else if (before && before !== "asking") void queries.invalidateQueries();
      return signedIn;
    });
  }, [queries]);

  useEffect(() => {
    listen({
      clock: seeClock,
      past: seeAsOf,
      signedOut: () => {
        mark(false);
        setNotice("Your session has ended. Sign in again to go on where you were.");
        // Who was at work keeps the page, with all that was typed into it.
        setIsOver(true);
        setPerson((before) => (before === "asking" ? null : before));
      },
    });
    if (!isMarked()) {
      setPerson(null);
      return;
    }
    let again: ReturnType<typeof setTimeout> | undefined;
    const ask = (patience: number) =>
      request("get", "/api/v1/session").then(take, (refused: unknown) => {
        // Who is signed in stands in the state that the service reads: it can say so in a moment.
        if (refused instanceof Refused && refused.status === 503 && patience > 0) {
          again = setTimeout(() => void ask(patience - 1), 1_000);
          return;
        }
        mark(refused instanceof Refused && refused.isPassing);
        setNotice(refused instanceof Refused && refused.isPassing ? refused.message : null);
        setPerson(null);
      });
    void ask(MOST_PATIENCE);
    return () => clearTimeout(again);
  }, [take]);

  const renew = useCallback(() => {
    request("get", "/api/v1/session").then(
      (now) => {
        keepCsrfToken(now.csrfToken);
        setPerson((before) => (before && before !== "asking" && before.account === now.account ? now : before));
      },
      () => undefined,
    );
  }, []);

  const session = useMemo<Session | null>(
    () =>
      person === null || person === "asking"
        ? null
        : {
            person,
            forbidden: (operation) => whyNot(person, operation),
            renew,
            signOut: async () => {
              await request("delete", "/api/v1/session");
              keepCsrfToken(null);
              mark(false);
              queries.clear();
              setPerson(null);
            },
          },
    [person, queries, renew],
  );
  if (person === "asking") return <p className="loading">Asking who you are …</p>;
  if (!session) return signIn(take, notice);
  return (
    <Current.Provider key={session.person.account} value={session}>
      <div inert={isOver || undefined}>{children}</div>
      {isOver && <div className="session-over">{signIn(take, notice)}</div>}
    </Current.Provider>
  );
}

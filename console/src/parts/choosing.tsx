import { Checkbox } from "@mantine/core";
import { type ReactNode, useMemo, useState } from "react";
import { count } from "./format";
import type { Column } from "./VirtualList";

/** Rows of a list that somebody chose, by their identities, with what they are called. They stay chosen while the list is filtered and sorted. */
export interface Chosen {
  names: ReadonlyMap<string, string>;
  set: (id: string, name: string, isChosen: boolean) => void;
  clear: () => void;
}

export function useChosen(): Chosen {
  const [names, setNames] = useState<ReadonlyMap<string, string>>(new Map());
  return useMemo(
    () => ({
      names,
      set: (id, name, isChosen) =>
        setNames((now) => {
          const next = new Map(now);
          if (isChosen) next.set(id, name);
          else next.delete(id);
          return next;
        }),
      clear: () => setNames(new Map()),
    }),
    [names],
  );
}

/** The column in which rows are chosen. */
export function choosing<T>(chosen: Chosen, idOf: (item: T) => string, nameOf: (item: T) => string): Column<T> {
  return {
    key: "chosen", title: "Chosen", isTitleHidden: true, width: "34px",
    cell: (item) => <Checkbox size="xs" aria-label={`Choose ${nameOf(item)}`} checked={chosen.names.has(idOf(item))} onChange={(event) => chosen.set(idOf(item), nameOf(item), event.currentTarget.checked)} />,
  };
}

/** What can be done with the chosen rows; nothing where none is. */
export function ChosenBar({ chosen, children }: { chosen: Chosen; children: ReactNode }) {
  if (chosen.names.size === 0) return null;
  return (
    <div className="toolbar" role="group" aria-label="With what is chosen">
      <span className="grow" role="status"><strong>{count(chosen.names.size)} chosen:</strong> {[...chosen.names.values()].slice(0, 4).join(", ")}{chosen.names.size > 4 && ", …"}</span>
      {children}
      <button type="button" className="copy" onClick={chosen.clear}>Choose none</button>
    </div>
  );
}

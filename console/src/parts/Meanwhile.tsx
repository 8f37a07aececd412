import type { ReactNode } from "react";

interface MeanwhileProps {
  what: string;
  /** How it is now. */
  says?: ReactNode;
  takeTheirs: () => void;
  keepMine: () => void;
}

/** Somebody else changed what is being changed here: what was typed stays, and may be put on top. */
export function Meanwhile({ what, says, takeTheirs, keepMine }: MeanwhileProps) {
  return (
    <div className="note" role="alert">
      <p>
        <strong>Somebody changed {what} meanwhile.</strong> {says} What you typed is still here.
      </p>
      <button type="button" className="copy" onClick={takeTheirs}>
        Take what is there now
      </button>
      <button type="button" className="copy" onClick={keepMine}>
        Keep mine, write it over
      </button>
    </div>
  );
}

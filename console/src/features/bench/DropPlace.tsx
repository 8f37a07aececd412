import { Button } from "@mantine/core";
import { type ReactNode, useRef, useState } from "react";

/** A place to drop files on, or to choose them. */
export function DropPlace({ take, busy, children }: { take: (files: readonly File[]) => void; busy: string | null; children: ReactNode }) {
  const input = useRef<HTMLInputElement>(null);
  const [isOver, setIsOver] = useState(false);
  return (
    <div
      className="drop-place"
      data-over={isOver || undefined}
      onDragOver={(event) => {
        event.preventDefault();
        setIsOver(true);
      }}
      onDragLeave={() => setIsOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setIsOver(false);
        if (!busy) take([...event.dataTransfer.files]);
      }}
    >
      <div role="status">{busy ?? children}</div>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        aria-label="Files"
        onChange={(event) => {
          take([...(event.currentTarget.files ?? [])]);
          event.currentTarget.value = "";
        }}
      />
      <Button onClick={() => input.current?.click()} disabled={busy !== null}>
        Choose files
      </Button>
    </div>
  );
}

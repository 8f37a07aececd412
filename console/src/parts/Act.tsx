import { Button, type ButtonProps, Tooltip } from "@mantine/core";
import { useAsOf } from "@/api/past";
import type { MouseEvent, ReactNode } from "react";

interface ActProps extends Omit<ButtonProps, "onClick"> {
  /** Why it cannot be done now, by this person; null where it can. It stays in reach, so that the reason can be read. */
  forbidden?: string | null;
  onClick: () => void;
  children: ReactNode;
}

/** A button that, where it cannot be used, says why. */
export function Act({ forbidden: mayNot, onClick, children, ...rest }: ActProps) {
  const forbidden = useAsOf() === undefined ? mayNot : "This is how it was. Go back to now to do something.";
  const button = (
    <Button
      {...rest}
      data-disabled={forbidden ? true : undefined}
      aria-disabled={forbidden ? true : undefined}
      onClick={(event: MouseEvent) => {
        event.preventDefault();
        if (!forbidden) onClick();
      }}
    >
      {children}
      {forbidden && <span className="visually-hidden">. Not possible: {forbidden}</span>}
    </Button>
  );
  return forbidden ? <Tooltip label={forbidden}>{button}</Tooltip> : button;
}

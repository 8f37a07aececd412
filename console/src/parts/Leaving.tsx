import { Button, Modal } from "@mantine/core";
import { useBlocker } from "@tanstack/react-router";

/** Asks before a page is left on which something was typed that is not kept yet; a reload or a closed tab is asked about by the browser. */
export function Leaving({ isDirty, what }: { isDirty: boolean; what: string }) {
  const leave = useBlocker({ shouldBlockFn: ({ current, next }) => isDirty && current.pathname !== next.pathname, enableBeforeUnload: () => isDirty, withResolver: true });
  return (
    <Modal opened={leave.status === "blocked"} onClose={() => leave.reset?.()} title={`What you typed into ${what} is not kept yet`} closeButtonProps={{ "aria-label": "Close" }}>
      <p>If you leave, it is gone.</p>
      <div className="acts" style={{ justifyContent: "flex-end" }}>
        <Button data-autofocus onClick={() => leave.reset?.()}>Stay here</Button>
        <Button variant="filled" color="clay" onClick={() => leave.proceed?.()}>Leave, and lose it</Button>
      </div>
    </Modal>
  );
}

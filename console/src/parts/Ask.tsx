import { Button, Modal, Textarea } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { type ReactNode, useState } from "react";
import { Command } from "./Command";
import { ErrorNote } from "./ErrorNote";

/** What is asked before something is done. */
export interface Question {
  title: string;
  /** What it will do, with numbers. */
  says: ReactNode;
  /** The button: what is done, to how many. */
  act: string;
  isDangerous?: boolean;
  /** It cannot be done, or not yet; what it says tells why. */
  isHeld?: boolean;
  /** Whether a reason may, must or need not be given. */
  reason?: "may" | "must";
  command?: (reason: string) => string;
  /** Does it; what it answers is told. */
  run: (reason: string) => Promise<string | null>;
}

/** Shows what will happen before it does. */
export function Ask({ question, close }: { question: Question | null; close: () => void }) {
  return (
    <Modal opened={question !== null} onClose={close} title={question?.title} size="lg" closeButtonProps={{ "aria-label": "Close" }}>
      {question && <Asked key={question.title} question={question} close={close} />}
    </Modal>
  );
}

function Asked({ question, close }: { question: Question; close: () => void }) {
  const [reason, setReason] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setIsBusy] = useState(false);
  const isMissing = question.isHeld || (question.reason === "must" && reason.trim().length === 0);

  async function run() {
    setIsBusy(true);
    setError(null);
    try {
      const said = await question.run(reason.trim());
      if (said) notifications.show({ message: said });
      close();
    } catch (refused) {
      setError(refused);
    } finally {
      setIsBusy(false);
    }
  }

  return (
    <form
      className="form"
      onSubmit={(event) => {
        event.preventDefault();
        if (!isMissing) void run();
      }}
    >
      <div>{question.says}</div>
      {question.reason && (
        <Textarea
          label={question.reason === "must" ? "Reason" : "Reason (stays in the journal)"}
          required={question.reason === "must"}
          value={reason}
          onChange={(event) => setReason(event.currentTarget.value)}
          autosize
          minRows={2}
          data-autofocus
        />
      )}
      {question.command && <Command text={question.command(reason.trim() || "…")} />}
      {error !== null && <ErrorNote error={error} />}
      <div className="acts" style={{ justifyContent: "flex-end" }}>
        <Button onClick={close}>Cancel</Button>
        <Button type="submit" variant="filled" color={question.isDangerous ? "clay" : undefined} loading={isBusy} disabled={isMissing}>
          {question.act}
        </Button>
      </div>
    </form>
  );
}

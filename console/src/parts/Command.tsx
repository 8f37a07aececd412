import { useState } from "react";

/** The command for what is on screen, to be copied. */
export function Command({ text }: { text: string }) {
  const [isCopied, setIsCopied] = useState(false);
  return (
    <div className="as-command">
      <code title={text}>{text}</code>
      <button
        type="button"
        className="copy"
        aria-label={`Copy the command: ${text}`}
        onClick={() =>
          void navigator.clipboard?.writeText(text).then(() => {
            setIsCopied(true);
            setTimeout(() => setIsCopied(false), 1500);
          })
        }
      >
        {isCopied ? "Copied" : "Copy"}
      </button>
    </div>
  );
}

import { useState } from "react";
import { sendFile } from "./uploading";

/** Sends files to a draft one after the other, and says how far it is. */
export function useSending(): { busy: string | null; error: unknown; send: (draft: string, files: readonly File[]) => Promise<boolean> } {
  const [busy, setBusy] = useState<string | null>(null);
  const [error, setError] = useState<unknown>(null);
  async function send(draft: string, files: readonly File[]): Promise<boolean> {
    setError(null);
    try {
      for (const file of files) {
        setBusy(`Sending ${file.name} …`);
        await sendFile(draft, file, (part) => setBusy(part < 1 ? `Sending ${file.name}: ${Math.floor(part * 100)} %` : `Inspecting ${file.name} …`));
      }
      return true;
    } catch (refused) {
      setError(refused);
      return false;
    } finally {
      setBusy(null);
    }
  }
  return { busy, error, send };
}

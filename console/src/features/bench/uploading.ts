import { Refused, type Schemas, sendBytes } from "@/api/request";

/** As large as the service takes at once. */
const PIECE = 8 * 1024 * 1024;
const TRIES = 4;

/** Sends a file to a draft in pieces; one that is lost on the way is sent again. The answer says what the file is. */
export async function sendFile(draft: string, file: File, progress: (part: number) => void): Promise<Schemas["BenchFileInfo"]> {
  const address = `/api/v1/bench/${draft}/files?path=${encodeURIComponent(file.name)}&size=${file.size}`;
  let answer: Schemas["BenchFileInfo"] | undefined;
  for (let at = 0; at < file.size || answer === undefined; at += PIECE) {
    answer = await persistently(() => sendBytes<Schemas["BenchFileInfo"]>("PATCH", address, file.slice(at, at + PIECE), { "Upload-Offset": String(at) }));
    progress(file.size === 0 ? 1 : Math.min(1, (at + PIECE) / file.size));
  }
  return answer;
}

async function persistently<T>(send: () => Promise<T>): Promise<T> {
  for (let tried = 1; ; tried++) {
    try {
      return await send();
    } catch (error) {
      if (!(error instanceof Refused) || error.status !== 0 || tried === TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, 500 * tried));
    }
  }
}

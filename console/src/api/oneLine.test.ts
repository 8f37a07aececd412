import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Happened, StreamState } from "./events";
import { OneLine } from "./oneLine";
import { PlayedStream } from "./playedStream";

/** The locks of a browser, as its tabs share them. */
class Locks {
  private holder: ((error: Error) => void) | null = null;
  private readonly waiting: (() => void)[] = [];
  request(_name: string, { steal, signal }: { steal?: boolean; signal?: AbortSignal }, hold: () => Promise<void> | undefined): Promise<void> {
    return new Promise((resolve, reject) => {
      const take = () => {
        this.holder = reject;
        void Promise.resolve(hold()).then(() => {
          if (this.holder === reject) this.holder = null;
          resolve();
          if (!this.holder) this.waiting.shift()?.();
        });
      };
      signal?.addEventListener("abort", () => reject(new Error("aborted")));
      if (steal) this.holder?.(new Error("stolen"));
      if (steal || !this.holder) take();
      else this.waiting.push(() => !signal?.aborted && take());
    });
  }
}

/** What tabs of one browser tell one another. */
class Channel {
  static all: Channel[] = [];
  onmessage: ((message: { data: unknown }) => void) | null = null;
  isFrozen = false;
  constructor() {
    Channel.all.push(this);
  }
  postMessage(data: unknown) {
    for (const other of Channel.all) if (other !== this && !this.isFrozen && !other.isFrozen) other.onmessage?.({ data });
  }
  close() {
    Channel.all = Channel.all.filter((each) => each !== this);
  }
}

function tab() {
  const [lines, heard, states]: [PlayedStream[], Happened[], StreamState[]] = [[], [], []];
  const line = new OneLine((event) => heard.push(event), (state) => states.push(state), (address) => {
    const played = new PlayedStream(address);
    lines.push(played);
    return played as unknown as EventSource;
  });
  line.start();
  return { line, lines, heard, states, channel: Channel.all.at(-1)! };
}

beforeEach(() => {
  vi.useFakeTimers();
  Channel.all = [];
  vi.stubGlobal("BroadcastChannel", Channel);
  vi.stubGlobal("window", { BroadcastChannel: Channel });
  vi.stubGlobal("navigator", { locks: new Locks() });
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

it("has one line for all tabs, and all hear", async () => {
  const [first, second] = [tab(), tab()];
  await vi.advanceTimersByTimeAsync(10);
  first.lines[0]!.send("target", "7", { number: 7 });
  expect([first.lines.length, second.lines.length, first.heard.length, second.heard.length]).toEqual([1, 0, 1, 1]);
});

it("leaves the line with a tab that beats, and takes it from one that is frozen, from where it was", async () => {
  const [first, second] = [tab(), tab()];
  await vi.advanceTimersByTimeAsync(10);
  first.lines[0]!.send("target", "7", { number: 7 });
  for (let beat = 0; beat < 12; beat++) {
    first.lines[0]!.send("beat");
    await vi.advanceTimersByTimeAsync(10_000);
  }
  expect(second.lines.length).toBe(0);

  first.channel.isFrozen = true;
  await vi.advanceTimersByTimeAsync(31_000);
  expect(second.lines.map((line) => line.address)).toEqual(["/api/v1/events?after=7"]);
});

it("gives the line back to nobody when it wakes up: it listens to the other", async () => {
  const [first, second] = [tab(), tab()];
  await vi.advanceTimersByTimeAsync(10);
  first.channel.isFrozen = true;
  await vi.advanceTimersByTimeAsync(31_000);
  first.channel.isFrozen = false;
  second.lines[0]!.send("target", "9", { number: 9 });
  expect(first.lines.every((line) => line.isClosed)).toBe(true);
  expect(first.heard.map((event) => event.number)).toEqual([9]);
});

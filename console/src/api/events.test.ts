import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { EventLine, type Happened, type StreamState } from "./events";
import { PlayedStream } from "./playedStream";

describe("the line of events", () => {
  let opened: PlayedStream[];
  let heard: Happened[];
  let states: StreamState[];
  let line: EventLine;
  beforeEach(() => {
    vi.useFakeTimers();
    [opened, heard, states] = [[], [], []];
    line = new EventLine((event) => heard.push(event), (state) => states.push(state), undefined, (address) => {
      const played = new PlayedStream(address);
      opened.push(played);
      return played as unknown as EventSource;
    });
    line.start();
  });
  afterEach(() => {
    line.stop();
    vi.useRealTimers();
  });

  it("hears every topic", () => {
    for (const topic of ["journal", "target", "device", "audit", "package", "group"]) opened[0]!.send(topic, "1", { topic });
    expect(heard).toHaveLength(6);
  });

  it("goes on after a loss from the last that was heard", () => {
    opened[0]!.send("target", "41", { topic: "target" });
    opened[0]!.onerror?.();
    expect(opened[0]!.isClosed).toBe(true);
    vi.advanceTimersByTime(600);
    expect(opened[1]!.address).toBe("/api/v1/events?after=41");
  });

  it("tells since when it is lost, once and not anew with each try, and that it is back", () => {
    opened[0]!.onerror?.();
    const since = (states.at(-1) as { since: number }).since;
    vi.advanceTimersByTime(600);
    opened[1]!.onerror?.();
    expect(states.at(-1)).toEqual({ isLive: false, since });
    vi.advanceTimersByTime(1_100);
    opened[2]!.onopen?.();
    expect(states.at(-1)).toEqual({ isLive: true });
  });

  it("takes a line on which nothing comes for lost, and hears from the beat that it lives", () => {
    opened[0]!.onopen?.();
    for (let beats = 0; beats < 6; beats++) {
      vi.advanceTimersByTime(20_000);
      opened[0]!.send("beat", "", {});
    }
    expect(opened[0]!.isClosed).toBe(false);
    vi.advanceTimersByTime(26_000);
    expect(opened[0]!.isClosed).toBe(true);
    expect(states.at(-1)).toHaveProperty("since");
    expect(opened).toHaveLength(2);
  });

  it("waits longer with each try that fails, but never long", () => {
    for (let tries = 0; tries < 12; tries++) {
      opened.at(-1)!.onerror?.();
      vi.advanceTimersByTime(15_000);
    }
    expect(opened).toHaveLength(13);
  });
});

import type { Schemas } from "./request";

export type Happened = Schemas["EventInfo"];

/** How the stream of events stands: live, or since when not. */
export type StreamState = { isLive: true } | { isLive: false; since: number };

/** Longest wait between two tries to connect again, milliseconds. */
const LONGEST_WAIT = 15_000;

/** The service says every 10 s that it is there; a line on which nothing came for so long is dead, milliseconds. */
export const LONGEST_SILENCE = 25_000;

/** The line of events. A closed one is noticed by its end, a dead one by its silence. */
export class EventLine {
  private source: EventSource | null = null;
  private last: string | null = null;
  private wait = 500;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private silence: ReturnType<typeof setTimeout> | undefined;
  private since: number | null = null;

  constructor(
    private readonly heard: (event: Happened) => void,
    private readonly stands: (state: StreamState) => void,
    private readonly beats: () => void = () => undefined,
    private readonly open: (address: string) => EventSource = (address) => new EventSource(address),
  ) {}

  /** Connects; after a loss it goes on from the last event that was heard. */
  start(after: string | null = null): void {
    this.stop();
    this.last = after ?? this.last;
    const source = this.open(`/api/v1/events${this.last === null ? "" : `?after=${this.last}`}`);
    this.source = source;
    this.listens();
    source.onopen = () => {
      this.wait = 500;
      this.since = null;
      this.listens();
      this.stands({ isLive: true });
    };
    source.addEventListener("beat", () => {
      this.listens();
      this.beats();
    });
    for (const topic of ["journal", "target", "device", "audit", "package", "group"]) {
      source.addEventListener(topic, (message) => {
        this.listens();
        this.last = (message as MessageEvent<string>).lastEventId || this.last;
        this.heard(JSON.parse((message as MessageEvent<string>).data) as Happened);
      });
    }
    source.onerror = () => this.lose(source);
  }

  stop(): void {
    clearTimeout(this.timer);
    clearTimeout(this.silence);
    this.source?.close();
    this.source = null;
  }

  private listens(): void {
    clearTimeout(this.silence);
    this.silence = setTimeout(() => this.source && this.lose(this.source), LONGEST_SILENCE);
  }

  private lose(source: EventSource): void {
    clearTimeout(this.silence);
    source.close();
    this.since ??= Date.now();
    this.stands({ isLive: false, since: this.since });
    this.timer = setTimeout(() => this.start(), this.wait);
    this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
  }
}

import type { Schemas } from "./request";

export type Happened = Schemas["EventInfo"];

/** How the stream of events stands: live, or since when not. */
export type StreamState = { isLive: true } | { isLive: false; since: number };

/** Longest wait between two tries to connect again, milliseconds. */
const LONGEST_WAIT = 15_000;

/** Of a quiet stream the service sends a comment every 20 s, which the browser does not show; so only a closed line tells. */
export class EventLine {
  private source: EventSource | null = null;
  private last: string | null = null;
  private wait = 500;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private since: number | null = null;

  constructor(
    private readonly heard: (event: Happened) => void,
    private readonly stands: (state: StreamState) => void,
    private readonly open: (address: string) => EventSource = (address) => new EventSource(address),
  ) {}

  /** Connects; after a loss it goes on from the last event that was heard. */
  start(): void {
    this.stop();
    const source = this.open(`/api/v1/events${this.last === null ? "" : `?after=${this.last}`}`);
    this.source = source;
    source.onopen = () => {
      this.wait = 500;
      this.since = null;
      this.stands({ isLive: true });
    };
    for (const topic of ["journal", "target", "device", "audit", "package", "group"]) {
      source.addEventListener(topic, (message) => {
        this.last = (message as MessageEvent<string>).lastEventId || this.last;
        this.heard(JSON.parse((message as MessageEvent<string>).data) as Happened);
      });
    }
    source.onerror = () => {
      source.close();
      this.since ??= Date.now();
      this.stands({ isLive: false, since: this.since });
      this.timer = setTimeout(() => this.start(), this.wait);
      this.wait = Math.min(this.wait * 2, LONGEST_WAIT);
    };
  }

  stop(): void {
    clearTimeout(this.timer);
    this.source?.close();
    this.source = null;
  }
}

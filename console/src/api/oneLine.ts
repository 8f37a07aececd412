import { EventLine, type Happened, type StreamState } from "./events";

const NAME = "bandejo-events";

type Said = { event: Happened } | { state: StreamState } | { asks: true };

/**
 * One line of events for all tabs of a browser: a browser opens few lines to one service, and with a line for each tab those that are opened last would wait
 * for ever. The tab that has the line passes on what it hears; when it closes, the next one takes it over. Where a browser cannot do that, each tab has its own.
 */
export class OneLine {
  private readonly line: EventLine;
  private readonly channel: BroadcastChannel | null;
  private release: (() => void) | null = null;
  private asking: AbortController | null = null;
  private state: StreamState = { isLive: true };
  private last: string | null = null;

  constructor(heard: (event: Happened) => void, stands: (state: StreamState) => void) {
    this.channel = "locks" in navigator && "BroadcastChannel" in window ? new BroadcastChannel(NAME) : null;
    this.line = new EventLine(
      (event) => {
        this.tell({ event });
        heard(event);
      },
      (state) => {
        this.state = state;
        this.tell({ state });
        stands(state);
      },
    );
    if (this.channel) {
      this.channel.onmessage = ({ data }: MessageEvent<Said>) => {
        if ("asks" in data) {
          if (this.release) this.tell({ state: this.state });
        } else if ("event" in data) {
          this.last = String(data.event.number);
          heard(data.event);
        } else {
          stands(data.state);
        }
      };
    }
  }

  /** Listens, over the line of another tab where one has it. */
  start(): void {
    if (!this.channel) {
      this.line.start();
      return;
    }
    if (this.release) {
      this.line.start();
      return;
    }
    this.asking?.abort();
    const asking = new AbortController();
    this.asking = asking;
    this.channel.postMessage({ asks: true } satisfies Said);
    void navigator.locks
      .request(NAME, { signal: asking.signal }, () => {
        this.line.start(this.last);
        return new Promise<void>((resolve) => {
          this.release = resolve;
        });
      })
      .catch(() => undefined);
  }

  /** Listens no more; another tab may have the line. */
  stop(): void {
    this.asking?.abort();
    this.asking = null;
    this.line.stop();
    this.release?.();
    this.release = null;
  }

  /** Is used no more. */
  close(): void {
    this.stop();
    this.channel?.close();
  }

  private tell(said: Said): void {
    this.channel?.postMessage(said);
  }
}

import { EventLine, type Happened, LONGEST_SILENCE, type StreamState } from "./events";

const NAME = "bandejo-events";

type Said = { event: Happened } | { state: StreamState } | { asks: true };

/** A browser freezes tabs that nobody looks at, also the one that has the line: one that hears nothing of it for so long takes the line over, milliseconds. */
const LONGEST_OF_OTHERS = LONGEST_SILENCE + 5_000;

/**
 * One line of events for all tabs of a browser: a browser opens few lines to one service, and with a line for each tab those that are opened last would wait
 * for ever. The tab that has the line passes on what it hears; when it closes or falls silent, another takes it over. Where a browser cannot do that, each tab
 * has its own.
 */
export class OneLine {
  private readonly line: EventLine;
  private readonly channel: BroadcastChannel | null;
  private release: (() => void) | null = null;
  private asking: AbortController | null = null;
  private state: StreamState = { isLive: true };
  private last: string | null = null;

  private silence: ReturnType<typeof setTimeout> | undefined;

  constructor(heard: (event: Happened) => void, stands: (state: StreamState) => void, open?: (address: string) => EventSource) {
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
      () => this.tell({ state: this.state }),
      open,
    );
    if (this.channel) {
      this.channel.onmessage = ({ data }: MessageEvent<Said>) => {
        if ("asks" in data) {
          if (this.release) this.tell({ state: this.state });
          return;
        }
        this.listens();
        if ("event" in data) {
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
    this.channel.postMessage({ asks: true } satisfies Said);
    this.ask();
    this.listens();
  }

  /** Listens no more; another tab may have the line. */
  stop(): void {
    clearTimeout(this.silence);
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

  /** Asks for the line, to have it when the tab that has it closes; or takes it at once. */
  private ask(isAtOnce = false): void {
    this.asking?.abort();
    const asking = new AbortController();
    this.asking = asking;
    void navigator.locks
      .request(NAME, isAtOnce ? { steal: true } : { signal: asking.signal }, () => {
        if (asking.signal.aborted) return undefined;
        clearTimeout(this.silence);
        this.line.start(this.last);
        return new Promise<void>((resolve) => {
          this.release = resolve;
        });
      })
      .catch(() => {
        // Given up by itself, or taken by another tab while this one was frozen: from now on it listens to that one.
        if (asking.signal.aborted) return;
        this.line.stop();
        this.release = null;
        this.ask();
        this.listens();
      });
  }

  private listens(): void {
    clearTimeout(this.silence);
    if (!this.release) this.silence = setTimeout(() => this.ask(true), LONGEST_OF_OTHERS);
  }

  private tell(said: Said): void {
    this.channel?.postMessage(said);
  }
}

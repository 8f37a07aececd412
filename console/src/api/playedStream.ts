import type { Happened } from "./events";

/** A stream of which the test plays the service's side. */
export class PlayedStream {
  onopen: (() => void) | null = null;
  onerror: (() => void) | null = null;
  isClosed = false;
  private readonly hearers = new Map<string, (message: MessageEvent<string>) => void>();
  constructor(readonly address: string) {}
  addEventListener(topic: string, hear: (message: MessageEvent<string>) => void) {
    this.hearers.set(topic, hear);
  }
  send(topic: string, id = "", event: Partial<Happened> = {}) {
    this.hearers.get(topic)?.({ lastEventId: id, data: JSON.stringify(event) } as MessageEvent<string>);
  }
  close() {
    this.isClosed = true;
  }
}

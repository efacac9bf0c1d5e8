/**
 * Hearing of changes: in a web socket, of which a browser has many, or, where something on the way lets none
 * through, as a stream over a fetch, of which it has six for all its tabs.
 */
import { headers, who } from "../page/api.js";

/** What is told. @typedef {{event: string, data: any}} Told */

export class Following {
  /** @param {() => string} address of the stream @param {{changed: (e: any) => void, again: () => void}} told again is called when changes may have been missed */
  constructor(address, told) {
    this.address = address;
    this.told = told;
    /** Web sockets get through. */
    this.sockets = true;
  }

  stop() {
    this.mine?.abort();
  }

  /** @param {boolean} [missed] changes may have been missed before */
  async start(missed = false) {
    this.stop();
    const { signal } = (this.mine = new AbortController());
    const begun = () => {
      if (missed) this.told.again();
      missed = true;
    };
    while (!signal.aborted) {
      try {
        if (this.sockets && await this.socket(signal, begun)) continue;
        if (await this.stream(signal, begun)) continue;
      } catch {
        if (signal.aborted) return;
        missed = true;
      }
      await new Promise((done) => setTimeout(done, 1000));
    }
  }

  /** @param {Told} e */
  hear(e) {
    if (e.event === "changed") this.told.changed(e.data);
  }

  /** Listens in a web socket until it ends; false where there was none. @param {AbortSignal} signal @param {() => void} begun @returns {Promise<boolean>} */
  socket(signal, begun) {
    const at = new URL(this.address(), location.href);
    at.protocol = at.protocol.replace("http", "ws");
    const token = who.bearer ? `bearer.${who.bearer}` : `csrf.${document.body.dataset.csrf ?? ""}`;
    return new Promise((ended) => {
      let open = false;
      const socket = new WebSocket(at, ["eskadel", token]);
      const stop = () => socket.close();
      signal.addEventListener("abort", stop);
      socket.onopen = () => {
        open = true;
        begun();
      };
      socket.onmessage = (e) => this.hear(JSON.parse(e.data));
      socket.onclose = () => {
        signal.removeEventListener("abort", stop);
        ended(open);
      };
    });
  }

  /** Listens to a stream until it ends; false where it was refused. @param {AbortSignal} signal @param {() => void} begun */
  async stream(signal, begun) {
    const response = await fetch(this.address(), { headers: { ...headers(), Accept: "text/event-stream, application/json" }, signal });
    if (response.status === 401 && who.renew) {
      await who.renew();
      return true;
    }
    if (!response.ok || !response.body) return false;
    this.sockets = false; // what is let in this way would have been in the other
    begun();
    const reader = response.body.pipeThrough(/** @type {ReadableWritablePair<string, Uint8Array>} */ (new TextDecoderStream())).getReader();
    for (let text = ""; ;) {
      const { done, value } = await reader.read();
      if (done) return true;
      text += value;
      for (let end = text.indexOf("\n\n"); end >= 0; end = text.indexOf("\n\n")) {
        const [event, data] = text.slice(0, end).split("\ndata: ");
        text = text.slice(end + 2);
        this.hear({ event: event.replace("event: ", ""), data: JSON.parse(data) });
      }
    }
  }
}

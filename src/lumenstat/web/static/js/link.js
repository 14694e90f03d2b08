// The link to the desk: a socket that comes back by itself. An action is kept until the desk says that it is stored.
const SIGNED_OUT = 4401;
const NO_RUN = 4404;

export class Link {
  constructor(path, on) {
    this.address = new URL(path, window.location.href);
    this.address.protocol = this.address.protocol === "https:" ? "wss:" : "ws:";
    this.on = on;
    this.pending = new Map();
    this.made = 0;
    this.tries = 0;
    const seed = new Uint32Array(2);
    crypto.getRandomValues(seed);
    this.name = `${seed[0].toString(36)}${seed[1].toString(36)}`;
  }

  open() {
    this.socket = new WebSocket(this.address);
    this.socket.addEventListener("open", () => {
      this.tries = 0;
      this.on.linked(true);
      for (const message of this.pending.values()) this.socket.send(JSON.stringify(message));
    });
    this.socket.addEventListener("message", (event) => this.take(JSON.parse(event.data)));
    this.socket.addEventListener("close", (event) => this.closed(event.code));
  }

  take(frame) {
    if (frame.type === "state") this.on.frame(frame);
    else if (frame.type === "ended") {
      this.over = true;
      this.on.ended();
    } else if (frame.type === "stopped") this.on.stopped(frame.says);
    else {
      if (frame.id) this.pending.delete(frame.id);
      if (frame.type === "refused") this.on.refused(frame.says);
    }
  }

  closed(code) {
    if (this.over) return;
    if (code === SIGNED_OUT) {
      this.on.linked(true);
      this.on.signedOut();
      return;
    }
    if (code === NO_RUN) {
      this.on.linked(false, "this run is not there any more");
      return;
    }
    this.tries += 1;
    const pause = Math.min(5000, 250 * 2 ** Math.min(this.tries, 5));
    this.on.linked(false, this.tries > 3 ? `try ${this.tries}` : "");
    setTimeout(() => this.open(), pause);
  }

  send(message) {
    if (message.verb) {
      this.made += 1;
      message.id = `${this.name}-${this.made}`;
      this.pending.set(message.id, message);
    }
    if (this.socket && this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }
}

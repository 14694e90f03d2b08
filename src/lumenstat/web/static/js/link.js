// The link to the desk: a socket that comes back by itself. An action is kept until the desk says that it is stored.
import { _ } from "./words.js";
const SIGNED_OUT = 4401;
const NO_RUN = 4404;
// Milliseconds without a word from the desk: it is asked, it is said to be silent, the socket is given up.
const ASK_AFTER = 1200;
const SILENT_AFTER = 3000;
const GIVE_UP_AFTER = 10000;
const LOOK = 500;

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
    this.silent = false;
    this.heard = performance.now();
    setInterval(() => this.listen(), LOOK);
  }

  // Whether the desk is still there. A page in the background is not looked at, and its timers hardly run.
  listen() {
    if (document.hidden || this.over || this.socket?.readyState !== WebSocket.OPEN) {
      this.heard = performance.now();
      return;
    }
    const since = performance.now() - this.heard;
    if (since > GIVE_UP_AFTER) this.socket.close();
    else if (since > SILENT_AFTER && !this.silent) {
      this.silent = true;
      this.on.linked(false, _("nothing heard for 3 seconds"));
    }
    if (since > ASK_AFTER) this.socket.send('{"ping":true}');
  }

  hear() {
    this.heard = performance.now();
    if (!this.silent) return;
    this.silent = false;
    this.on.linked(true);
  }

  open() {
    this.socket = new WebSocket(this.address);
    this.socket.addEventListener("open", () => {
      this.tries = 0;
      this.silent = false;
      this.heard = performance.now();
      this.on.linked(true);
      for (const message of this.pending.values()) this.socket.send(JSON.stringify(message));
    });
    this.socket.addEventListener("message", (event) => {
      this.hear();
      this.take(JSON.parse(event.data));
    });
    this.socket.addEventListener("close", (event) => this.closed(event.code));
  }

  take(frame) {
    if (frame.type === "pong") return;
    if (frame.type === "state") this.on.frame(frame);
    else if (frame.type === "logged") this.on.logged?.();
    else if (frame.type === "ended") {
      this.over = true;
      this.on.ended();
    } else if (frame.type === "stopped") this.on.stopped(frame.says);
    else {
      const sent = this.pending.get(frame.id);
      this.pending.delete(frame.id);
      if (frame.type === "refused") this.on.refused(frame.says, sent);
      else if (sent) this.on.done?.(sent);
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
      this.on.linked(false, _("this run is not there any more"));
      return;
    }
    this.tries += 1;
    const pause = Math.min(5000, 250 * 2 ** Math.min(this.tries, 5));
    this.on.linked(false, this.tries > 3 ? _("try {tries}", { tries: this.tries }) : "");
    setTimeout(() => this.open(), pause);
  }

  // While the desk is silent nothing new is taken: it would come late.
  send(message) {
    if (this.silent) {
      if (message.verb && message.verb !== "release") this.on.refused(_("The desk is not heard. That was not done; do it once the link is back."));
      if (message.verb !== "release") return;
    }
    if (message.verb) {
      this.made += 1;
      message.id = `${this.name}-${this.made}`;
      this.pending.set(message.id, message);
    }
    if (this.socket && this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message));
  }
}

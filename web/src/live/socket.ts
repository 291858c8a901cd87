// The live socket of one project: speaks, listens, and comes back after a loss.
import type { Schemas } from "../api/client";
import { decode, type Frame } from "./frames";

type ClientMessage = Schemas["ClientMessage"];
type ServerMessage = Schemas["ServerMessage"];

export interface Listener {
  message(message: ServerMessage): void;
  frame(frame: Frame): void;
  /** The first message on a new socket. */
  introduce(): ClientMessage;
  /** Whether something large is on its way. */
  expects(): boolean;
  /** The socket is lost; it is tried again, and a new hello comes when it is back. */
  lost(): void;
}

/** The server beats every three seconds: silent for longer than this, the line is broken. */
const SILENCE_MS = 10_000;
/** A large mesh comes as one message, which is heard when all of it is here. */
const PATIENCE_MS = 120_000;
const FIRST_RETRY_MS = 300;
const LAST_RETRY_MS = 5000;

export class Live {
  private socket: WebSocket | null = null;
  private retry = FIRST_RETRY_MS;
  private timer = 0;
  private closed = false;
  private heardAt = 0;
  /** Silent when it was looked at last: what had come meanwhile has been heard by now. */
  private isSuspect = false;
  private watch = 0;

  constructor(
    private readonly project: number,
    private readonly listener: Listener,
  ) {
    this.open();
  }

  private open() {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}/api/v1/projects/${this.project}/live`);
    socket.binaryType = "arraybuffer";
    this.heardAt = Date.now();
    window.clearInterval(this.watch);
    this.watch = window.setInterval(() => this.listen(socket), 1000);
    socket.onopen = () => {
      this.retry = FIRST_RETRY_MS;
      socket.send(JSON.stringify(this.listener.introduce()));
    };
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (this.socket !== socket) return;
      this.heardAt = Date.now();
      this.isSuspect = false;
      if (typeof event.data === "string") {
        const message = JSON.parse(event.data) as ServerMessage;
        if (message.type === "beat") this.say({ type: "beat" });
        else this.listener.message(message);
      } else {
        const frame = decode(event.data);
        if (frame) this.listener.frame(frame);
      }
    };
    socket.onclose = () => this.end(socket);
    this.socket = socket;
  }

  /** Gives up a socket on which nothing comes any more; its own end may take minutes to be told. */
  private listen(socket: WebSocket) {
    const silent = Date.now() - this.heardAt;
    const wasSuspect = this.isSuspect;
    this.isSuspect = silent >= (this.listener.expects() ? PATIENCE_MS : SILENCE_MS);
    // A page that was busy itself finds its messages behind the clock.
    if (!this.isSuspect || !wasSuspect) return;
    socket.close();
    this.end(socket);
  }

  private end(socket: WebSocket) {
    if (this.closed || this.socket !== socket) return;
    this.socket = null;
    window.clearInterval(this.watch);
    this.listener.lost();
    this.timer = window.setTimeout(() => this.open(), this.retry);
    this.retry = Math.min(2 * this.retry, LAST_RETRY_MS);
  }

  /** False when the socket is down and the message was not sent. */
  say(message: ClientMessage): boolean {
    if (this.socket?.readyState !== WebSocket.OPEN) return false;
    this.socket.send(JSON.stringify(message));
    return true;
  }

  close() {
    this.closed = true;
    window.clearTimeout(this.timer);
    window.clearInterval(this.watch);
    this.socket?.close();
  }
}

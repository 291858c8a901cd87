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
  /** The socket is lost; it is tried again, and a new hello comes when it is back. */
  lost(): void;
}

const FIRST_RETRY_MS = 300;
const LAST_RETRY_MS = 5000;

export class Live {
  private socket: WebSocket | null = null;
  private retry = FIRST_RETRY_MS;
  private timer = 0;
  private closed = false;

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
    socket.onopen = () => {
      this.retry = FIRST_RETRY_MS;
      socket.send(JSON.stringify(this.listener.introduce()));
    };
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => {
      if (typeof event.data === "string") {
        this.listener.message(JSON.parse(event.data) as ServerMessage);
      } else {
        const frame = decode(event.data);
        if (frame) this.listener.frame(frame);
      }
    };
    socket.onclose = () => {
      if (this.closed) return;
      this.listener.lost();
      this.timer = window.setTimeout(() => this.open(), this.retry);
      this.retry = Math.min(2 * this.retry, LAST_RETRY_MS);
    };
    this.socket = socket;
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
    this.socket?.close();
  }
}

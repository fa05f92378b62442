import { dialEvents, Hub, type Said, type Wish } from "./hub";

/** FromPage is what a page says to the hub. */
export type FromPage = { wish: Wish } | { leave: string };

const hub = new Hub(dialEvents);

(self as unknown as { onconnect: (e: MessageEvent) => void }).onconnect = (e) => {
  const port = e.ports[0]!;
  const tell = (said: Said) => port.postMessage(said);
  port.onmessage = ({ data }: MessageEvent<FromPage>) => {
    if ("leave" in data) hub.leave(data.leave);
    else hub.want(data.wish, tell);
  };
};

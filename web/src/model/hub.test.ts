import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { type Dial, Hub, type Said } from "./hub";

/** lines notes the streams that are opened, and lets a test play the server. */
function lines() {
  const open: { url: string; on: Parameters<Dial>[1]; closed: boolean }[] = [];
  const dial: Dial = (url, on) => {
    const line = { url: decodeURIComponent(url), on, closed: false };
    open.push(line);
    return {
      close: () => {
        line.closed = true;
      },
    };
  };
  return { open, dial, last: () => open[open.length - 1]! };
}

const event = (document: string, name: string, revision = 0, data = "{}") =>
  `${JSON.stringify({ document, name, revision })}\n${data}`;

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const settle = () => vi.advanceTimersByTime(100);

test("many pages take one stream", () => {
  const l = lines();
  const hub = new Hub(l.dial, () => Date.now());
  const heard: string[] = [];
  for (let n = 0; n < 20; n++) {
    hub.want({ page: `p${n}`, watch: { t: 7, cat: -1 }, here: "t" }, (s) => heard.push(`p${n} ${s.name}`));
  }
  settle();
  expect(l.open).toHaveLength(1);
  expect(l.last().url).toContain("watch=t:7&watch=cat:-1");
  expect(l.last().url).toContain("here=t:p19");
  l.last().on.open();
  l.last().on.said(event("t", "rig"));
  expect(heard.filter((x) => x.endsWith("rig"))).toHaveLength(20);
  expect(heard.filter((x) => x.endsWith("connected"))).toHaveLength(20);
});

test("a page hears of its documents only, and of each revision once", () => {
  const l = lines();
  const hub = new Hub(l.dial, () => Date.now());
  const a: Said[] = [];
  const b: Said[] = [];
  hub.want({ page: "a", watch: { t: 5 }, here: null }, (s) => a.push(s));
  hub.want({ page: "b", watch: { t: 3, u: 1 }, here: null }, (s) => b.push(s));
  settle();
  expect(l.last().url).toContain("watch=t:3");
  for (const revision of [4, 5, 6]) l.last().on.said(event("t", "change", revision, `{"revision":${revision}}`));
  l.last().on.said(event("u", "change", 2));
  const revisions = (list: Said[]) => list.map((s) => ("revision" in s ? `${s.document}${s.revision}` : s.name));
  expect(revisions(a)).toEqual(["t6"]);
  expect(revisions(b)).toEqual(["t4", "t5", "t6", "u2"]);
  expect(a[0]).toEqual({ name: "change", document: "t", revision: 6, data: '{"revision":6}' });
});

test("a lost stream is dialled again from what is known by then", () => {
  const l = lines();
  const hub = new Hub(l.dial, () => Date.now());
  const heard: string[] = [];
  hub.want({ page: "a", watch: { t: 1 }, here: "t" }, (s) => heard.push(s.name));
  settle();
  l.last().on.open();
  l.last().on.said(event("t", "change", 2));
  l.last().on.lost();
  expect(l.last().closed).toBe(true);
  expect(heard).toEqual(["connected", "change", "lost"]);
  vi.advanceTimersByTime(5000);
  expect(l.open).toHaveLength(2);
  expect(l.last().url).toContain("watch=t:2");
  l.open[0]!.on.said(event("t", "change", 3)); // what comes late on the old one counts no more
  expect(heard).toHaveLength(3);
});

test("the next stream opens before the last one ends", () => {
  const order: string[] = [];
  const hub = new Hub(
    (url) => {
      order.push(`open ${url.split("watch=")[1]!.split("%3A")[0]}`);
      return { close: () => order.push("close") };
    },
    () => Date.now(),
  );
  hub.want({ page: "a", watch: { t: 1 }, here: null }, () => {});
  settle();
  hub.want({ page: "a", watch: { u: 1 }, here: null }, () => {});
  settle();
  hub.want({ page: "a", watch: { u: 4 }, here: null }, () => {}); // only that it has come further
  settle();
  hub.leave("a");
  settle();
  expect(order).toEqual(["open t", "open u", "close", "close"]);
});

test("pages that say nothing for long are forgotten", () => {
  const l = lines();
  const hub = new Hub(l.dial, () => Date.now());
  hub.want({ page: "a", watch: { t: 1 }, here: "t" }, () => {});
  settle();
  vi.advanceTimersByTime(200_000);
  hub.want({ page: "b", watch: { t: 1 }, here: "t" }, () => {});
  settle();
  expect(l.last().url).not.toContain("here=t:a");
  expect(l.last().url).toContain("here=t:b");
});

test("all pages are told that somebody has signed out", () => {
  const l = lines();
  const hub = new Hub(l.dial, () => Date.now());
  const heard: string[] = [];
  hub.want({ page: "a", watch: { t: 1 }, here: null }, (s) => heard.push(s.name));
  hub.want({ page: "b", watch: { u: 1 }, here: null }, (s) => heard.push(s.name));
  settle();
  l.last().on.said('{"name":"signed-out"}\n');
  expect(heard).toEqual(["signed-out", "signed-out"]);
});

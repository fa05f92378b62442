import { expect, test } from "vitest";
import { inTurn, keyHeader, randomId, send, Unanswered } from "./sending";

const soon = () => Promise.resolve();
const post = (body = "{}", type = "application/json") =>
  new Request("http://studio.test/api/x", { method: "POST", body, headers: { "Content-Type": type } });

/** lossy breaks the line a number of times, before or after the server has done its work. */
function lossy(breaks: number) {
  const seen: string[] = [];
  const done = new Set<string>();
  return {
    seen,
    done,
    fetching: async (r: Request) => {
      const key = r.headers.get(keyHeader) ?? "";
      seen.push(`${key} ${await r.text()}`);
      done.add(key);
      if (seen.length <= breaks) throw new TypeError("the line broke");
      return new Response("done");
    },
  };
}

test("a change whose line broke is sent again under the same key", async () => {
  const line = lossy(3);
  expect(await (await send(post('{"a":1}'), line.fetching, soon)).text()).toBe("done");
  expect(line.seen).toHaveLength(4);
  expect(new Set(line.seen).size).toBe(1);
  expect(line.seen[0]).toMatch(/^[0-9a-f]{32} {"a":1}$/);
});

test("two changes bear two keys", async () => {
  const line = lossy(0);
  await send(post(), line.fetching, soon);
  await send(post(), line.fetching, soon);
  expect(line.done.size).toBe(2);
  expect(randomId()).not.toBe(randomId());
});

test("in the end it says that it does not know", async () => {
  const line = lossy(99);
  const failed = await send(post(), line.fetching, soon).catch((e) => e);
  expect(failed).toBeInstanceOf(Unanswered);
  expect(failed.changes).toBe(true);
  expect(line.seen).toHaveLength(5);
});

test("what is only read bears no key and is not sent again", async () => {
  const line = lossy(1);
  const failed = await send(new Request("http://studio.test/api/x"), line.fetching, soon).catch((e) => e);
  expect(failed).toBeInstanceOf(Unanswered);
  expect(failed.changes).toBe(false);
  expect(line.seen).toEqual([" "]);
});

test("a file is sent once", async () => {
  const line = lossy(1);
  await expect(send(post("audio", "application/octet-stream"), line.fetching, soon)).rejects.toThrow(Unanswered);
  expect(line.seen).toHaveLength(1);
});

test("what was given up is not sent again", async () => {
  const line = lossy(9);
  const stop = new AbortController();
  const asked = new Request(post(), { signal: stop.signal });
  stop.abort();
  await expect(send(asked, line.fetching, soon)).rejects.not.toThrow(Unanswered);
  expect(line.seen.length).toBeLessThan(2);
});

test("what is sent in turn arrives in order, and one that fails holds up nobody", async () => {
  const arrived: number[] = [];
  const after = (n: number, ms: number, fails = false) =>
    inTurn(async () => {
      await new Promise((done) => setTimeout(done, ms));
      arrived.push(n);
      if (fails) throw new Error("refused");
      return n;
    });
  const all = [after(1, 20), after(2, 1, true), after(3, 5), after(4, 0)];
  await expect(all[1]).rejects.toThrow("refused");
  expect(await Promise.all([all[0], all[2], all[3]])).toEqual([1, 3, 4]);
  expect(arrived).toEqual([1, 2, 3, 4]);
});

test("the keys of a page begin alike and are never the same", async () => {
  const keys: string[] = [];
  const fetching = (r: Request) => {
    keys.push(r.headers.get(keyHeader)!);
    return Promise.resolve(new Response());
  };
  for (let n = 0; n < 3; n++) await send(new Request("http://x/", { method: "POST" }), fetching);
  expect(new Set(keys).size).toBe(3);
  expect(new Set(keys.map((k) => k.slice(0, 16))).size).toBe(1);
  for (const k of keys) expect(k).toMatch(/^[0-9a-f]{32}$/);
});

import { words } from "./words";

const say = words.sending;
/** randomId is an ID that nothing else has, 128 bits in hexadecimal. */
export const randomId = () =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (x) => x.toString(16).padStart(2, "0")).join("");

/** pageId is what this page is called by others. */
export const pageId = randomId();

/** keyOf is a new key of this page: what it sets twice does not clash with itself. */
const keyOf = () => pageId.slice(0, 16) + randomId().slice(16);

let turn: Promise<unknown> = Promise.resolve();

/** inTurn does one after the other what must arrive in order. */
export function inTurn<T>(f: () => Promise<T>): Promise<T> {
  const mine = turn.then(f, f);
  turn = mine.catch(() => undefined); // who asked hears of it
  return mine;
}

/** The header that has a request's key: what arrives again is not done again. */
export const keyHeader = "Idempotency-Key";

/** Unanswered is a request whose answer never came. */
export class Unanswered extends Error {
  constructor(readonly changes: boolean) {
    super(say.theServerDoesNotAnswer);
  }
}

/** How long is waited before a request is sent again, ms. */
const waits = [0, 250, 750, 2000, 4000];

/** send sends a request. What changes something is sent one after the other: an undo
 * never overtakes what it is to take back. Files are sent beside, and where a person
 * is told to others. Where the line breaks it sends it again: a change has a
 * key, so that the server makes it once, however often it arrives. */
export async function send(
  request: Request,
  fetching: (r: Request) => Promise<Response> = fetch,
  wait: (ms: number) => Promise<void> = (ms) => new Promise((done) => setTimeout(done, ms)),
): Promise<Response> {
  if (request.method === "GET") {
    return fetching(request).catch((e) => {
      throw request.signal.aborted ? e : new Unanswered(false);
    });
  }
  if (!request.headers.has(keyHeader)) request.headers.set(keyHeader, keyOf());
  // A file is sent once: to keep a copy for another try would take its size in memory.
  const file = request.headers.get("Content-Type") === "application/octet-stream";
  const sent = async () => {
    for (const ms of file ? waits.slice(0, 1) : waits) {
      if (ms > 0) await wait(ms);
      try {
        return await fetching(file ? request : request.clone());
      } catch (e) {
        if (request.signal.aborted) throw e;
      }
    }
    throw new Unanswered(true);
  };
  return file || new URL(request.url).pathname.endsWith("/here") ? sent() : inTurn(sent);
}

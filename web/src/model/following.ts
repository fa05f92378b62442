import { dialEvents, Hub, type Said } from "./hub";
import type { FromPage } from "./hub.worker";
import { pageId } from "./sending";

type Hear = (said: { name: string; revision: number; data: string }) => void;

interface Followed {
  revision: number; // that is known of it
  hears: Set<Hear>;
}

const followed = new Map<string, Followed>();
const lines = new Set<(name: "connected" | "lost" | "signed-out") => void>();
let here: string | null = null;

/** How often the hub is told that this page is there, ms. */
const often = 20_000;

const say = connect((said) => {
  if (!("document" in said)) {
    for (const hear of lines) hear(said.name as "connected");
    return;
  }
  const f = followed.get(said.document);
  if (!f) return;
  if (said.revision > 0) f.revision = Math.max(f.revision, said.revision);
  for (const hear of f.hears) hear(said);
});

/** connect joins the hub of all pages of this browser, or, where there are no
 * shared workers, one of this page alone. */
function connect(hear: (said: Said) => void): (m: FromPage) => void {
  if (typeof SharedWorker === "undefined") {
    const hub = new Hub(dialEvents);
    return (m) => ("leave" in m ? hub.leave(m.leave) : hub.want(m.wish, hear));
  }
  const worker = new SharedWorker(new URL("./hub.worker.ts", import.meta.url), { type: "module", name: "fanfold" });
  worker.port.onmessage = (e: MessageEvent<Said>) => hear(e.data);
  return (m) => worker.port.postMessage(m);
}

function wish() {
  const watch = Object.fromEntries([...followed].map(([id, f]) => [id, f.revision]));
  say({ wish: { page: pageId, watch, here } });
}

if (typeof window !== "undefined") {
  setInterval(() => followed.size > 0 && wish(), often);
  window.addEventListener("pagehide", () => say({ leave: pageId }));
  window.addEventListener("pageshow", (e) => e.persisted && wish());
}

/** follow hears what happens to a document after a revision; -1 begins with a
 * reset. The function returned ends it. */
export function follow(document: string, revision: number, hear: Hear): () => void {
  const f = followed.get(document) ?? { revision, hears: new Set<Hear>() };
  f.revision = Math.max(f.revision, revision);
  f.hears.add(hear);
  followed.set(document, f);
  wish();
  return () => {
    f.hears.delete(hear);
    if (f.hears.size === 0) followed.delete(document);
    wish();
  };
}

/** known says that a page has loaded a document at a revision. */
export function known(document: string, revision: number) {
  const f = followed.get(document);
  if (!f || revision <= f.revision) return;
  f.revision = revision;
  wish();
}

/** opened says which document this page has open, for others to see. */
export function opened(document: string | null) {
  here = document;
  wish();
}

/** hearLine is told how the line to the server is. */
export function hearLine(hear: (name: "connected" | "lost" | "signed-out") => void) {
  lines.add(hear);
}

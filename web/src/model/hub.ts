/** What a page follows: documents, after the revision it knows, and the one it
 * has open, for others to see. */
export interface Wish {
  page: string;
  watch: Readonly<Record<string, number>>;
  here: string | null;
}

/** Said is what a page is told: an event of a document, or how the line is. */
export type Said =
  | { name: "connected" | "lost" | "signed-out" }
  | { name: string; document: string; revision: number; data: string };

/** Line is one open stream of events. */
export interface Line {
  close(): void;
}

/** Dial opens a stream and tells what comes. */
export type Dial = (url: string, on: { open(): void; said(text: string): void; lost(): void }) => Line;

interface Member {
  wish: Wish;
  tell: (said: Said) => void;
  heard: number; // when the page last said that it is there, ms
}

/** How long the wishes of pages settle before the stream is opened, ms. */
const settle = 20;
/** How long after a lost stream it is opened again, ms. */
const again = 1500;
/** How long a page may say nothing, ms: it may be asleep in the background. */
const silence = 180_000;

/** Hub follows documents for all pages of a browser over one stream, so that many
 * pages take no more of the browser's connections than one. */
export class Hub {
  private members = new Map<string, Member>();
  private line: Line | null = null;
  private dialled = ""; // what the open stream follows
  private open = false;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private dial: Dial,
    private now: () => number = Date.now,
  ) {}

  /** want says what a page follows from now on, or again that it is there. */
  want(wish: Wish, tell: (said: Said) => void) {
    const known = this.members.get(wish.page);
    this.members.set(wish.page, { wish: { ...wish, watch: { ...wish.watch } }, tell, heard: this.now() });
    if (!known && this.open) tell({ name: "connected" });
    this.soon(settle);
  }

  /** leave forgets a page. */
  leave(page: string) {
    this.members.delete(page);
    this.soon(settle);
  }

  private soon(ms: number) {
    if (this.timer !== null) return;
    this.timer = setTimeout(() => {
      this.timer = null;
      this.agree();
    }, ms);
  }

  /** agree opens another stream where the open one does not follow what is wanted. */
  private agree() {
    const late = this.now() - silence;
    for (const [page, m] of this.members) if (m.heard < late) this.members.delete(page);
    const follows = [...this.members.values()]
      .flatMap((m) => [...Object.keys(m.wish.watch), m.wish.here ? `${m.wish.here}:${m.wish.page}` : ""])
      .filter((x, n, all) => x && all.indexOf(x) === n)
      .sort()
      .join(" ");
    if (follows === this.dialled && this.line) return;
    const old = this.line;
    this.line = null;
    this.dialled = follows;
    if (follows) this.begin();
    old?.close(); // after the next has begun, so that nobody seems to have left
  }

  private begin() {
    const query = new URLSearchParams();
    for (const [id, revision] of this.known()) query.append("watch", `${id}:${revision}`);
    for (const { wish } of this.members.values()) if (wish.here) query.append("here", `${wish.here}:${wish.page}`);
    const mine: Line = this.dial(`/api/events?${query}`, {
      open: () => this.line === mine && this.turned(true),
      said: (text) => this.line === mine && this.said(text),
      lost: () => {
        if (this.line !== mine) return;
        mine.close();
        this.line = null;
        this.turned(false);
        this.soon(again);
      },
    });
    this.line = mine;
  }

  /** known lists the documents with the revision that every page has come to. */
  private known(): Map<string, number> {
    const out = new Map<string, number>();
    for (const { wish } of this.members.values()) {
      for (const [id, revision] of Object.entries(wish.watch)) out.set(id, Math.min(out.get(id) ?? revision, revision));
    }
    return out;
  }

  private turned(open: boolean) {
    this.open = open;
    for (const m of this.members.values()) m.tell({ name: open ? "connected" : "lost" });
  }

  /** said takes an event to the pages that follow its document. */
  private said(text: string) {
    const cut = text.indexOf("\n");
    const head = JSON.parse(cut < 0 ? text : text.slice(0, cut)) as {
      document?: string;
      name: string;
      revision?: number;
    };
    const { document, name, revision = 0 } = head;
    if (!document) {
      for (const m of this.members.values()) m.tell({ name: "signed-out" });
      return;
    }
    const said = { name, document, revision, data: text.slice(cut + 1) };
    for (const m of this.members.values()) {
      const at = m.wish.watch[document];
      if (at === undefined || (revision > 0 && revision <= at)) continue;
      if (revision > 0) (m.wish.watch as Record<string, number>)[document] = revision;
      m.tell(said);
    }
  }
}

/** dialEvents opens a stream of the server's. */
export const dialEvents: Dial = (url, on) => {
  const events = new EventSource(url);
  events.onopen = on.open;
  events.onmessage = (e) => on.said(e.data as string);
  events.onerror = on.lost; // it is dialled again with the revisions known by then
  return events;
};

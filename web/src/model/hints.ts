import { createStore, useStore } from "zustand";
import type { Schemas } from "./api";
import { get, remember, remembered, select, show, useApp } from "./store";
import { type Sheet, things } from "./template";
import { words } from "./words";

const say = words.hints;

/** Hint is one thing that is good to know in the first minutes, said of what the person has here. */
interface Hint {
  id: string;
  text: (now: Now) => string | null; // null while it does not fit
  does?: { text: string; run: (now: Now) => void };
}

/** Now is what hints look at. */
export interface Now {
  sheet: Sheet;
  states: ReadonlyMap<string, Schemas["State"]>;
  selection: ReadonlySet<string>;
  open: readonly string[];
}

const played = (sheet: Sheet) => things(sheet.instruments).filter((i) => i.kind === "sampled");
const first = ({ sheet }: Now) => played(sheet)[0];
const unseated = ({ sheet }: Now) => played(sheet).filter((i) => !i.seat && !i.printed).length;

/** short is how little of a name finds it: "vio lon" for "Violins 1 long". */
export const short = (name: string) =>
  name
    .toLowerCase()
    .split(/\s+/)
    .filter((w) => w.length > 2)
    .map((w) => w.slice(0, 3))
    .slice(0, 2)
    .join(" ");

const hints: readonly Hint[] = [
  {
    id: "seat",
    text: (now) => (unseated(now) > 0 ? say.rowsCannotLoad(unseated(now)) : null),
    does: { text: say.openSeating, run: () => show("seating") },
  },
  {
    id: "call",
    text: (now) => (first(now) && now.states.size === 0 ? say.selectAndPressC(first(now)!.name) : null),
    does: { text: say.selectIt, run: (now) => select([first(now)!.id], first(now)!.id) },
  },
  {
    id: "trace",
    text: ({ sheet, selection }) => {
      const i = sheet.instruments.byId.get([...selection][0] ?? "");
      return i ? say.theLineBelow(i.name) : null;
    },
  },
  {
    id: "right",
    text: (now) => (first(now) ? say.aRightClick(first(now)!.name) : null),
  },
  {
    id: "find",
    text: (now) => {
      const last = played(now.sheet).at(-1);
      return last && short(last.name) ? say.ctrlKFindsAnythingBy(last.name, short(last.name)) : null;
    },
  },
  {
    id: "beside",
    text: ({ open }) => (open.length === 1 ? say.shiftClickASpine : null),
  },
  {
    id: "marks",
    text: ({ sheet }) => (sheet.marks > 0 ? say.marksToLookAtEach(sheet.marks) : null),
  },
  { id: "guide", text: () => say.f1ExplainsTheLeaf },
];

/** every closes all hints, those to come too. */
export const every = "all";

/** hintFor is the first hint that fits and was not closed. */
export function hintFor(now: Now, closed: readonly string[]): { id: string; text: string; does?: Hint["does"] } | null {
  if (closed.includes(every)) return null;
  for (const { id, text, does } of hints) {
    const said = closed.includes(id) ? null : text(now);
    if (said) return { id, text: said, ...(does ? { does } : {}) };
  }
  return null;
}

/** Which hints were closed, for good in this browser. */
const closedHints = createStore<{ ids: readonly string[] }>(() => ({ ids: remembered<string[]>("hints", []) }));

/** closeHints closes some hints for good. */
export function closeHints(ids: readonly string[]) {
  const all = [...new Set([...closedHints.getState().ids, ...ids])];
  closedHints.setState({ ids: all });
  remember("hints", all);
}

/** hintNow is the hint that shows. */
export const hintNow = () => {
  const { sheet, states, selection, open } = get();
  return sheet && hintFor({ sheet, states, selection, open }, closedHints.getState().ids);
};

/** useHint follows the hint that shows. */
export function useHint() {
  const ids = useStore(closedHints, (s) => s.ids);
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const selection = useApp((s) => s.selection);
  const open = useApp((s) => s.open);
  const now = { sheet, states, selection, open };
  const hint = hintFor(now, ids);
  return hint && { ...hint, run: () => hint.does?.run(now) };
}

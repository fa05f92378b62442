import { createStore, useStore } from "zustand";
import type { LeafDialog, LeafName } from "../leaves";
import { type Delta, type Id, type Problem, Refusal, type Schemas } from "./api";
import { inOrder } from "./leaves";
import type { Sheet } from "./template";

/** The dialogs that belong to no leaf. */
/** FurnishWish says how a template is made ready to play. */
export interface FurnishWish {
  fill: boolean; // free rows are filled from the studio's libraries
  list: Id; // by this casting list; empty for the studio's default
  stems: string; // a starting point of stems; empty keeps those there are
  seats: boolean;
  openingGib: number; // 0 makes no opening call
}

export type ShellDialog =
  | "finder"
  | "keys"
  | "marks"
  | "settings"
  | "new"
  | "ready"
  | "furnished"
  | "history"
  | "compare-templates"
  | "drift"
  | "members"
  | "account"
  | "notes"
  | "links"
  | "stands"
  | "templates"
  | "guide"
  | "since-here";

export interface Notice {
  id: number;
  tone: "refused" | "done";
  text: string;
}

export interface Clash {
  problem: Problem;
  again: () => Promise<unknown>;
}

export interface State {
  person: Schemas["Person"] | null | undefined; // undefined while asking
  sheet: Sheet | null;
  states: ReadonlyMap<Id, Schemas["State"]>;
  rig: ReadonlyMap<Id, Schemas["MachineState"]>;
  called: number; // grows whenever other instruments are called than before
  connected: boolean;
  lastChange: Delta | null;

  here: readonly Here[]; // who has the template open
  selection: ReadonlySet<Id>;
  anchor: Id | null; // where a range starts
  cursor: Id | null; // the row under focus
  bus: Id | null; // the bus chosen in Deliver and Routing
  fold: Id | null; // the fold whose stems show; null takes the finest
  shelf: { library: Id; text: string; patch: Id } | null; // what the Library should show next

  open: LeafName[];
  widths: Readonly<Record<LeafName, number>>; // shares of the open leaves
  sight: Id | null; // the sightline that is looked along; null for everything
  sighting: Id | null; // the one being changed; null makes one
  folded: ReadonlySet<Id>;
  cueMusic: { cue: string; file: File } | null; // of a cue, for the dialogs that read music
  movie: { cut: string; reel: string } | null; // whose film is chosen
  comparing: { template: string; revision: number | null } | null; // what the open template is compared with
  card: boolean; // what the row under the cursor is, shows
  guide: string; // the page of the guide, and perhaps the place in it: "marks#orphan"
  asking: string; // the field that is set for the whole selection
  renaming: Id | null; // the section whose name is being edited
  dialog: ShellDialog | LeafDialog | null;
  importing: File | null;
  furnishing: FurnishWish | null; // how what is brought in next is made ready to play
  furnished: Schemas["Furnished"] | null; // what that came to
  taking: { file: File; machines: readonly Schemas["FileMachine"][] } | null; // a template file that is asked about
  machine: Id | null; // the machine being changed; null adds one
  notices: Notice[];
  clash: Clash | null;
  trimming: Id | null; // the call whose music rows are trimmed to
  asideOnly: boolean; // only what is set aside shows
  readyOnly: boolean; // only what is ready shows
  busy: Clash | null; // what a call would take away, and the call again
}

/** Here is a browser that has the template open, and what is selected there. */
export interface Here {
  id: string;
  name: string;
  selected: Id[];
  count: number;
}

export const store = createStore<State>(() => ({
  person: undefined,
  sheet: null,
  states: new Map(),
  rig: new Map(),
  called: 0,
  connected: true,
  lastChange: null,
  here: [],
  selection: new Set(),
  anchor: null,
  cursor: null,
  bus: null,
  fold: null,
  shelf: null,
  open: remembered("open", ["orchestra", "routing"]),
  widths: {} as Record<LeafName, number>, // set at the start, from the leaves
  sight: null,
  sighting: null,
  folded: new Set(),
  card: false,
  guide: "start",
  asking: "",
  renaming: null,
  dialog: null,
  cueMusic: null,
  movie: null,
  comparing: null,
  importing: null,
  furnishing: null,
  furnished: null,
  taking: null,
  machine: null,
  notices: [],
  clash: null,
  trimming: null,
  asideOnly: false,
  readyOnly: false,
  busy: null,
}));

export function useApp<T>(pick: (s: State) => T): T {
  return useStore(store, pick);
}

export const set = store.setState;
export const get = store.getState;

export function remembered<T>(key: string, otherwise: T): T {
  try {
    const text = localStorage.getItem(`fanfold.${key}`);
    return text ? (JSON.parse(text) as T) : otherwise;
  } catch {
    return otherwise;
  }
}

export function remember(key: string, value: unknown) {
  try {
    localStorage.setItem(`fanfold.${key}`, JSON.stringify(value));
  } catch {
    // a browser that keeps nothing still works
  }
}

// ---- notices ----

let noticeCount = 0;

export function tell(text: string, tone: Notice["tone"] = "done") {
  const id = ++noticeCount;
  set((s) => ({ notices: [...s.notices.slice(-2), { id, tone, text }] }));
  setTimeout(() => dismiss(id), tone === "done" ? 4000 : 12000);
}

export function dismiss(id: number) {
  set((s) => ({ notices: s.notices.filter((n) => n.id !== id) }));
}

/** attempt runs something that the server may refuse, and shows why. */
export async function attempt<T>(what: () => Promise<T>, again?: () => Promise<unknown>): Promise<T | undefined> {
  try {
    return await what();
  } catch (e) {
    if (!(e instanceof Refusal)) throw e;
    if (e.problem.code === "clash" && again) set({ clash: { problem: e.problem, again } });
    else if (e.problem.code === "busy" && again) set({ busy: { problem: e.problem, again } });
    else if (e.problem.code === "signed-out") set({ person: null });
    else tell(e.problem.detail, "refused");
    return undefined;
  }
}

// ---- selecting and leaves ----

export function select(ids: Iterable<Id>, cursor: Id | null, anchor: Id | null = cursor) {
  const selection = new Set(ids);
  // what was selected last is what the trace and Routing tell of
  set({ selection, cursor, anchor, ...(selection.size > 0 ? { bus: null } : {}) });
}

export function toggleFold(section: Id) {
  set((s) => {
    const folded = new Set(s.folded);
    if (!folded.delete(section)) folded.add(section);
    return { folded };
  });
}

/** unfold opens a leaf alone, or beside those already open (at most three). */
export function unfold(leaf: LeafName, beside: boolean) {
  set((s) => {
    let open: LeafName[];
    if (!beside) open = [leaf];
    else if (s.open.includes(leaf)) open = s.open.length > 1 ? s.open.filter((x) => x !== leaf) : s.open;
    else open = [...s.open, leaf].slice(-3);
    open = inOrder(open);
    remember("open", open);
    return { open };
  });
}

/** explain opens a page of the guide, perhaps at a place in it. */
export const explain = (page: string, at = "") => set({ dialog: "guide", guide: at ? `${page}#${at}` : page });

/** lookUp shows a patch, or a whole library, in the Library. */
export function lookUp(library: Id, patch?: { id: Id; name: string }) {
  set({ shelf: { library, text: patch?.name ?? "", patch: patch?.id ?? "" } });
  show("library");
}

/** show makes sure that a leaf is open, taking nothing away that fits. */
export function show(leaf: LeafName) {
  const { open } = get();
  if (!open.includes(leaf)) unfold(leaf, open.length < 2 || innerWidth > 1600);
}

import { createStore, useStore } from "zustand";
import { answer, api, type Change, type Delta, type How, type Id, type Problem, Refusal, type Schemas } from "./api";
import { after, type Sheet, sheetOf } from "./template";

export const leafNames = ["orchestra", "seating", "routing", "calls"] as const;
export type LeafName = (typeof leafNames)[number];

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
  connected: boolean;
  lastChange: Delta | null;

  selection: ReadonlySet<Id>;
  anchor: Id | null; // where a range starts
  cursor: Id | null; // the row under focus
  bus: Id | null; // the bus chosen in Routing

  open: LeafName[];
  folded: ReadonlySet<Id>;
  renaming: Id | null; // the section whose name is being edited
  dialog: "finder" | "keys" | "marks" | "import" | "machine" | "settings" | "new" | null;
  importing: File | null;
  machine: Id | null; // the machine being changed; null adds one
  notices: Notice[];
  clash: Clash | null;
}

export const store = createStore<State>(() => ({
  person: undefined,
  sheet: null,
  states: new Map(),
  rig: new Map(),
  connected: true,
  lastChange: null,
  selection: new Set(),
  anchor: null,
  cursor: null,
  bus: null,
  open: remembered("open", ["orchestra", "routing"]),
  folded: new Set(),
  renaming: null,
  dialog: null,
  importing: null,
  machine: null,
  notices: [],
  clash: null,
}));

export function useApp<T>(pick: (s: State) => T): T {
  return useStore(store, pick);
}

export const set = store.setState;
export const get = store.getState;

function remembered<T>(key: string, otherwise: T): T {
  try {
    const text = localStorage.getItem(`fanfold.${key}`);
    return text ? (JSON.parse(text) as T) : otherwise;
  } catch {
    return otherwise;
  }
}

function remember(key: string, value: unknown) {
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
    else if (e.problem.code === "signed-out") set({ person: null });
    else tell(e.problem.detail, "refused");
    return undefined;
  }
}

// ---- sign-in and opening ----

export async function start() {
  try {
    const person = await answer(api.GET("/api/session"));
    set({ person });
    await openFirst();
  } catch (e) {
    set({ person: null });
    if (e instanceof Refusal && e.problem.code !== "signed-out") tell(e.problem.detail, "refused");
  }
}

export async function entered(person: Schemas["Person"]) {
  set({ person });
  await openFirst();
}

export async function signOut() {
  stream?.close();
  await attempt(() => answer(api.DELETE("/api/session")));
  set({ person: null, sheet: null, selection: new Set() });
}

async function openFirst() {
  const all = await answer(api.GET("/api/templates"));
  const last = remembered<string | null>("template", null);
  const row =
    all.find((t) => t.id === last) ??
    all[0] ??
    (await answer(api.POST("/api/templates", { body: { name: "New template" } })));
  await openTemplate(row.id);
}

/** createTemplate makes an empty template and opens it. */
export async function createTemplate(name: string) {
  const row = await attempt(() => answer(api.POST("/api/templates", { body: { name } })));
  if (row) await openTemplate(row.id);
  return row;
}

/** takeFile brings in a template file as a template of its own and opens it. */
export async function takeFile(file: File) {
  const row = await attempt(() =>
    answer(
      api.POST("/api/templates/file", {
        body: file as unknown as string,
        bodySerializer: (body) => body as unknown as Blob,
        headers: { "Content-Type": "application/octet-stream" },
      }),
    ),
  );
  if (!row) return;
  await openTemplate(row.id);
  tell(`Brought in ${row.name}.`);
}

let stream: EventSource | null = null;

export async function openTemplate(id: string) {
  const opened = await answer(api.GET("/api/templates/{id}", { params: { path: { id } } }));
  const was = get().sheet?.id;
  set({
    sheet: sheetOf(opened),
    ...running(opened.rig),
    ...(was === id ? {} : { selection: new Set(), cursor: null, bus: null }),
  });
  remember("template", id);
  listen(id, opened.revision);
}

function running(rig: Schemas["RigState"]): Pick<State, "states" | "rig"> {
  return { states: new Map(rig.instruments.map((x) => [x.id, x])), rig: new Map(rig.machines.map((x) => [x.id, x])) };
}

/** rigAfter takes what runs to what a delta says. */
export function rigAfter(s: Pick<State, "states" | "rig">, d: Schemas["RigDelta"]): Pick<State, "states" | "rig"> {
  if (d.whole) return running(d);
  const states = d.instruments.length + d.tacet.length > 0 ? new Map(s.states) : s.states;
  if (states !== s.states) {
    for (const id of d.tacet) (states as Map<Id, Schemas["State"]>).delete(id);
    for (const x of d.instruments) (states as Map<Id, Schemas["State"]>).set(x.id, x);
  }
  const rig = d.machines.length > 0 ? new Map([...s.rig, ...d.machines.map((m) => [m.id, m] as const)]) : s.rig;
  return { states, rig };
}

function listen(id: string, revision: number) {
  stream?.close();
  const events = new EventSource(`/api/templates/${id}/events?after=${revision}`);
  stream = events;
  events.addEventListener("change", (e) => {
    const delta = JSON.parse(e.data) as Delta;
    const { sheet } = get();
    if (!sheet || delta.revision <= sheet.revision) return;
    if (delta.revision !== sheet.revision + 1) {
      void openTemplate(id);
      return;
    }
    const next = after(sheet, delta);
    set((s) => ({ sheet: next, lastChange: delta, ...pruned(s, next) }));
  });
  events.addEventListener("rig", (e) => set((s) => rigAfter(s, JSON.parse(e.data) as Schemas["RigDelta"])));
  events.addEventListener("reset", () => void openTemplate(id));
  events.onopen = () => set({ connected: true });
  events.onerror = () => {
    set({ connected: false });
    // A browser dials again by itself, unless the server answered with an error.
    if (events.readyState === EventSource.CLOSED) setTimeout(() => void dialAgain(id, events), 2000);
  };
}

async function dialAgain(id: string, ended: EventSource) {
  if (stream !== ended) return; // another template was opened meanwhile
  const opened = await attempt(async () => {
    await openTemplate(id);
    return true;
  });
  if (!opened && get().person) setTimeout(() => void dialAgain(id, ended), 5000);
}

/** pruned drops deleted rows from the selection. */
function pruned(s: State, sheet: Sheet): Partial<State> {
  const gone = (id: Id | null) => id !== null && !sheet.instruments.byId.has(id);
  const out: Partial<State> = {};
  if ([...s.selection].some(gone)) out.selection = new Set([...s.selection].filter((id) => !gone(id)));
  if (gone(s.cursor)) out.cursor = null;
  if (gone(s.anchor)) out.anchor = null;
  return out;
}

// ---- changing ----

const at = () => ({ params: { path: { id: get().sheet!.id } } });

/** seen is the revision a person looks at now. An edit that takes a while
 * keeps the one it began with, so that what others set meanwhile is not
 * overwritten unseen. */
export const seen = () => get().sheet!.revision;

/** change sends one change; a clash asks which value shall stand. */
export function change(c: Change, base = seen()): Promise<Schemas["Applied"] | undefined> {
  const send = (base: number) =>
    answer(api.POST("/api/templates/{id}/changes", { ...at(), body: { base, change: c } }));
  return attempt(
    () => send(base),
    () => send(seen()),
  );
}

/** assign sets, by name, what rows refer to. */
export function assign(
  ids: Id[],
  field: "section" | "stem" | "library" | "machine" | "kind",
  value: string,
  base = seen(),
): Promise<Schemas["Applied"] | undefined> {
  const send = (base: number) =>
    answer(api.POST("/api/templates/{id}/assign", { ...at(), body: { base, ids, field, value } }));
  return attempt(
    () => send(base),
    () => send(seen()),
  );
}

export const undo = () => attempt(() => answer(api.POST("/api/templates/{id}/undo", at())));
export const redo = () => attempt(() => answer(api.POST("/api/templates/{id}/redo", at())));

export async function duplicate(ids: Id[]) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/duplicate", { ...at(), body: { ids } })));
  if (done?.added) selectNew(done.added, done.revision);
}

export async function addRows(kind: string, count: number, after: Id | null, section?: Id) {
  const body = { kind, count, ...(after ? { after } : {}), ...(section ? { section } : {}) };
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/rows", { ...at(), body })));
  if (done?.added) selectNew(done.added, done.revision);
}

/** selectNew selects rows once the event that brings them has arrived. */
function selectNew(ids: Id[], revision: number) {
  const pick = () => set({ selection: new Set(ids), cursor: ids[0] ?? null, anchor: ids[0] ?? null });
  if ((get().sheet?.revision ?? 0) >= revision) return pick();
  const stop = store.subscribe((s) => {
    if ((s.sheet?.revision ?? 0) >= revision) {
      stop();
      pick();
    }
  });
}

export const mend = (code: string, subject: Id, remedy: number) =>
  attempt(() => answer(api.POST("/api/templates/{id}/marks/mend", { ...at(), body: { code, subject, remedy } })));

export async function seatEveryone(fresh: boolean) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/seating", { ...at(), body: { fresh } })));
  if (done)
    tell(
      done.unseated?.length
        ? `${done.unseated.length} found no seat; they are listed with the reason.`
        : `Everyone is seated on ${done.risersUsed} risers.`,
    );
}

export const moveSeats = (ids: Id[], to: { machine: Id; riser: number; port: number; channel: number }) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/move", { ...at(), body: { ids, to } })));

export const call = (ids: Id[], how: How) =>
  attempt(() => answer(api.POST("/api/templates/{id}/calls", { ...at(), body: { ids, how } })));

export async function saveCall(name: string) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/calls/save", { ...at(), body: { name } })));
  if (done) tell(`Saved as ${name}.`);
  return done;
}

// ---- selecting and leaves ----

export function select(ids: Iterable<Id>, cursor: Id | null, anchor: Id | null = cursor) {
  set({ selection: new Set(ids), cursor, anchor });
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
    open = leafNames.filter((x) => open.includes(x));
    remember("open", open);
    return { open };
  });
}

/** show makes sure that a leaf is open, taking nothing away that fits. */
export function show(leaf: LeafName) {
  const { open } = get();
  if (!open.includes(leaf)) unfold(leaf, open.length < 2 || innerWidth > 1600);
}

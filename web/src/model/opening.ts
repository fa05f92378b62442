import { answer, api, type Delta, fileBody, type Id, Refusal, type Schemas } from "./api";
import { closeFilms, openFilms } from "./film";
import { follow, hearLine, known, opened } from "./following";
import { pageId } from "./sending";
import { attempt, get, type Here, remember, remembered, type State, set, store, tell } from "./store";
import { after, type Sheet, sheetOf } from "./template";
import { words } from "./words";

const say = words.opening;

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
  await attempt(() => answer(api.DELETE("/api/session")));
  left();
}

/** left shows that nobody is signed in. */
function left() {
  closeFilms();
  listening?.end();
  listening = null;
  opened(null);
  set({ person: null, sheet: null, selection: new Set() });
}

async function openFirst() {
  const all = await answer(api.GET("/api/templates"));
  const last = remembered<string | null>("template", null);
  const row =
    all.find((t) => t.id === last && !t.endsAt) ??
    all.find((t) => !t.endsAt) ??
    (await answer(api.POST("/api/templates", { body: { name: say.newTemplate } })));
  await openTemplate(row.id);
  void openFilms();
}

/** createTemplate makes a template, empty or from what there is, and opens it. */
export async function createTemplate(
  name: string,
  from: { line?: string; from?: string; sections?: Id[]; rows?: Id[]; machines?: boolean } = {},
) {
  const row = await attempt(() => answer(api.POST("/api/templates", { body: { name, ...from } })));
  if (row) await openTemplate(row.id);
  return row;
}

/** takeFile brings in a template file as a template of its own and opens it. Where
 * it has machines that the studio does not know, it is asked which stand for them. */
export async function takeFile(file: File) {
  const machines = await attempt(() => answer(api.POST("/api/templates/file/machines", fileBody(file))));
  if (!machines) return;
  const rig = (await answer(api.GET("/api/catalogue"))).rig;
  if (rig.length > 0 && machines.some((m) => m.strange && m.seats > 0))
    set({ taking: { file, machines }, dialog: "stands" });
  else await bringIn(file);
}

/** bringIn brings in a template file, whose machines others of the studio may stand
 * for: their IDs in order, empty for none. It tells whether it did. */
export async function bringIn(file: File, stands?: Id[]) {
  const row = await attempt(() =>
    answer(
      api.POST("/api/templates/file", { ...fileBody(file), ...(stands ? { params: { query: { stands } } } : {}) }),
    ),
  );
  if (!row) return false;
  await openTemplate(row.id);
  tell(say.broughtIn(row.name));
  return true;
}

let listening: { id: string; end: () => void } | null = null;

/** openTemplate shows a template, and brings in its opening call when nothing was asked of it yet. */
export async function openTemplate(id: string) {
  await showTemplate(id);
  await begin(id);
}

/** begin brings in a template's opening call, when nothing was asked of it yet. */
export const begin = (id: string) =>
  attempt(() => answer(api.POST("/api/templates/{id}/calls/begin", { params: { path: { id } } })));

async function showTemplate(id: string) {
  const opened = await answer(api.GET("/api/templates/{id}", { params: { path: { id } } }));
  const was = get().sheet?.id;
  set({
    sheet: sheetOf(opened),
    ...running(opened.rig),
    ...(was === id ? {} : { selection: new Set(), cursor: null, bus: null, sight: null }),
  });
  if (!opened.of) remember("template", id);
  listen(id, opened.revision);
}

function running(rig: Schemas["RigState"]): Pick<State, "states" | "rig"> {
  return { states: new Map(rig.instruments.map((x) => [x.id, x])), rig: new Map(rig.machines.map((x) => [x.id, x])) };
}

type Running = Pick<State, "states" | "rig" | "called">;

/** rigAfter takes what runs to what a delta says. */
export function rigAfter(s: Running, d: Schemas["RigDelta"]): Running {
  if (d.whole) return { ...running(d), called: s.called + 1 };
  const others =
    d.tacet.length > 0 ||
    d.instruments.some((x) => !s.states.has(x.id)) ||
    d.machines.some((m) => s.rig.get(m.id)?.othersMib !== m.othersMib);
  const states = d.instruments.length + d.tacet.length > 0 ? new Map(s.states) : s.states;
  if (states !== s.states) {
    for (const id of d.tacet) (states as Map<Id, Schemas["State"]>).delete(id);
    for (const x of d.instruments) (states as Map<Id, Schemas["State"]>).set(x.id, x);
  }
  const rig = d.machines.length > 0 ? new Map([...s.rig, ...d.machines.map((m) => [m.id, m] as const)]) : s.rig;
  return { states, rig, called: others ? s.called + 1 : s.called };
}

/** listen follows the template that is open. */
function listen(id: string, revision: number) {
  if (listening?.id === id) {
    known(id, revision);
    return;
  }
  listening?.end();
  opened(id);
  listening = { id, end: follow(id, revision, (said) => hear(id, said.name, said.data)) };
}

function hear(id: string, name: string, data: string) {
  switch (name) {
    case "change":
      return changed(id, JSON.parse(data) as Delta);
    case "rig":
      return set((s) => rigAfter(s, JSON.parse(data) as Schemas["RigDelta"]));
    case "here":
      return set({ here: JSON.parse(data) as Here[] });
    case "said":
      return tell((JSON.parse(data) as { text: string }).text, "refused");
    case "reset":
      void attempt(() => showTemplate(id));
  }
}

function changed(id: string, delta: Delta) {
  const { sheet } = get();
  if (!sheet || sheet.id !== id || delta.revision <= sheet.revision) return;
  if (delta.revision !== sheet.revision + 1) {
    void attempt(() => showTemplate(id));
    return;
  }
  const next = after(sheet, delta);
  set((s) => ({ sheet: next, lastChange: delta, ...pruned(s, next) }));
}

hearLine((name) => {
  if (name === "signed-out") return left();
  set({ connected: name === "connected" });
  // A stream that is refused may mean that somebody has signed out elsewhere.
  if (name === "lost" && get().person) void stillIn();
});

async function stillIn() {
  try {
    await answer(api.GET("/api/session"));
  } catch (e) {
    if (e instanceof Refusal && e.problem.code === "signed-out") left();
  }
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

/** How long a selection stands before the others are told, ms. */
const settled = 300;
let telling: ReturnType<typeof setTimeout> | undefined;

// What is selected here is shown to the others.
store.subscribe((now, was) => {
  if (now.selection === was.selection && now.connected === was.connected) return;
  clearTimeout(telling);
  telling = setTimeout(() => {
    const { sheet, selection, here } = get();
    if (!sheet || here.length < 2) return;
    // Nobody minds if it does not arrive.
    void api
      .POST("/api/templates/{id}/here", {
        params: { path: { id: sheet.id } },
        body: { browser: pageId, selected: [...selection] },
      })
      .catch(() => undefined);
  }, settled);
});

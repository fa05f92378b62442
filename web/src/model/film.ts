import { queryOptions } from "@tanstack/react-query";
import { createStore, useStore } from "zustand";
import { answer, api, fileBody, type Id, type Schemas } from "./api";
import { follow } from "./following";
import { sayLeft } from "./leaving";
import { save } from "./saving";
import { randomId } from "./sending";
import { attempt, remember, remembered, tell } from "./store";
import { words } from "./words";

const say = words.film;

export type Cue = Schemas["Cue"];
export type Reel = Schemas["Reel"];
export type FilmCut = Schemas["FilmCut"];
export type CutEvent = Schemas["CutEvent"];
export type Settings = Schemas["ProductionSettings"];
export type CueOp = Schemas["CueOp"];
type Opened = Schemas["OpenProduction"];

/** Film is the production that is open. */
export type Film = Opened;

interface State {
  rows: readonly Schemas["ProductionRow"][] | null; // null until they are known
  film: Film | null;
  chosen: ReadonlySet<Id>; // cues
  at: number | null; // the playhead, frames
  cut: Id | null; // the cut that the cues are held against
}

export const films = createStore<State>(() => ({ rows: null, film: null, chosen: new Set(), at: null, cut: null }));
export const useFilm = <T>(pick: (s: State) => T): T => useStore(films, pick);

let stop: (() => void) | null = null;

/** openFilms lists the productions of the studio, and opens the one that was open last. */
export async function openFilms() {
  const rows = await attempt(() => answer(api.GET("/api/productions")));
  if (!rows) return;
  films.setState({ rows });
  const now = films.getState().film;
  if (now && rows.some((r) => r.id === now.id)) return;
  const last = remembered<string | null>("production", null);
  const row = rows.find((r) => r.id === last) ?? rows.at(-1);
  if (row) await openFilm(row.id);
}

/** openFilm opens a production, and follows it. */
export async function openFilm(id: string) {
  const film = await load(id);
  if (!film) return;
  remember("production", id);
  stop?.();
  films.setState({ film, chosen: new Set(), at: null, cut: null });
  stop = follow(id, film.revision, (said) => void heard(id, said));
}

/** closeFilms puts all away when nobody is signed in. */
export function closeFilms() {
  stop?.();
  stop = null;
  films.setState({ rows: null, film: null, chosen: new Set(), at: null, cut: null });
}

const load = (id: string) => attempt(() => answer(api.GET("/api/productions/{id}", { params: { path: { id } } })));

async function heard(id: string, said: { name: string; data: string }) {
  const { film } = films.getState();
  if (film?.id !== id) return;
  if (said.name === "reset") {
    const now = await load(id);
    if (now && films.getState().film?.id === id) films.setState({ film: now });
    return;
  }
  if (said.name === "change")
    films.setState({ film: after(film, JSON.parse(said.data) as Schemas["ProductionDelta"]) });
}

/** after is a production after what a delta tells. */
export function after(film: Film, d: Schemas["ProductionDelta"]): Film {
  const gone = new Set(d.gone);
  const changed = new Map((d.cues ?? []).map((c) => [c.id, c]));
  const cues = film.cues.filter((c) => !gone.has(c.id)).map((c) => changed.get(c.id) ?? c);
  const known = new Set(cues.map((c) => c.id));
  return {
    ...film,
    revision: d.revision,
    settings: d.settings ?? film.settings,
    reels: d.reels ?? film.reels,
    cuts: d.cuts ?? film.cuts,
    cues: [...cues, ...[...changed.values()].filter((c) => !known.has(c.id))],
    marks: d.marks,
    sums: d.sums,
  };
}

const here = () => ({ params: { path: { id: films.getState().film!.id } } });

/** edit sends one change of the production; a clash asks which value should stand. */
export function edit(ops: CueOp[], label?: string, base = films.getState().film!.revision) {
  const send = (base: number) =>
    answer(
      api.POST("/api/productions/{id}/changes", {
        ...here(),
        body: { base, change: label ? { label, ops } : { ops } },
      }),
    );
  return attempt(
    () => send(base),
    () => send(films.getState().film!.revision),
  );
}

/** setCue sets fields of a cue; null takes one away. */
export const setCue = (id: Id, fields: { [K in keyof Cue]?: Cue[K] | null }) =>
  edit([{ kind: "cue", id, set: fields as Record<string, never> }]);

export const setFilm = (fields: Partial<Settings>) =>
  edit([{ kind: "production", set: fields as Record<string, never> }]);

/** openArchive has the server open an archive, as a production of its own. */
export const openArchive = (file: File) => attempt(() => answer(api.POST("/api/archives", fileBody(file))));

export const undoFilm = () => attempt(() => answer(api.POST("/api/productions/{id}/undo", here())));
export const redoFilm = () => attempt(() => answer(api.POST("/api/productions/{id}/redo", here())));

/** createFilm makes a production and opens it. */
export async function createFilm(name: string, rate: string) {
  const row = await attempt(() => answer(api.POST("/api/productions", { body: { name, rate } })));
  if (!row) return false;
  await openFilms();
  await openFilm(row.id);
  return true;
}

/** inOrder lists cues as they come: by reel, then by time. */
export function inOrder(film: Film): Cue[] {
  const place = new Map(film.reels.map((r, n) => [r.id, n]));
  return [...film.cues].sort(
    (a, b) => place.get(a.reel)! - place.get(b.reel)! || a.start - b.start || a.number.localeCompare(b.number),
  );
}

/** spanOf is the time of a reel: as it says, or as its picture and its cues. */
export function spanOf(film: Film, reel: Reel): { start: number; end: number } {
  if (reel.length > 0) return { start: reel.start, end: reel.start + reel.length };
  const cut = film.cuts.find((c) => c.id === film.settings.cut);
  const listed = cut?.reels.find((r) => r.reel === reel.id && r.events > 0)?.end;
  let end = Math.max(reel.start, listed ?? cut?.films[reel.id]?.ends ?? 0);
  for (const c of film.cues) if (c.reel === reel.id) end = Math.max(end, c.end);
  return { start: reel.start, end };
}

/** called is what people call a cue. */
export const called = (c: Cue) => [c.number, c.title].filter(Boolean).join(" ");

/** addCue adds a cue, and chooses it. */
export async function addCue(reel: Reel, start: number, end: number) {
  const done = await attempt(() =>
    answer(api.POST("/api/productions/{id}/cues", { ...here(), body: { reel: reel.id, start, end } })),
  );
  if (done) films.setState({ chosen: new Set([done.id]) });
}

/** addReel adds a reel at the hour after the last. */
export const addReel = () => attempt(() => answer(api.POST("/api/productions/{id}/reels", here())));

/** removeCues takes cues away. */
export async function removeCues(ids: readonly Id[]) {
  if (await edit(ids.map((id) => ({ kind: "cue" as const, id, remove: true })))) films.setState({ chosen: new Set() });
}

/** setStatus sets the status of cues, in one change. */
export async function setStatus(ids: readonly Id[], status: string) {
  await edit(
    ids.map((id) => ({ kind: "cue" as const, id, set: { status } as unknown as Record<string, never> })),
    ids.length > 1 ? say.setCuesTo(ids.length, status) : undefined,
  );
}

/** sayCuesLeft says what a format leaves out of the cues. */
export const sayCuesLeft = (id: Id, format: string, reel?: Id) =>
  sayLeft(() =>
    answer(
      api.GET("/api/productions/{id}/export/{format}/left", {
        params: { path: { id, format }, query: reel ? { reel } : {} },
      }),
    ),
  );

export type SpottingReport = Schemas["SpottingReport"];

/** spot brings a list of cues in, or only says what that would do. */
export const spot = (file: File, mapping: Record<string, string>, take: boolean) =>
  answer(
    api.POST("/api/productions/{id}/spotting", {
      params: {
        path: { id: films.getState().film!.id },
        query: { take, ...(Object.keys(mapping).length > 0 ? { mapping: JSON.stringify(mapping) } : {}) },
      },
      ...fileBody(file),
    }),
  );

/** bringIn takes an event list as the picture of a reel in a cut, or in a new one. */
export const bringIn = (file: File, where: { reel?: Id; cut?: Id; name?: string; on?: string }) =>
  attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cuts", {
        params: { path: { id: films.getState().film!.id }, query: where },
        ...fileBody(file),
      }),
    ),
  );

/** newCut makes a cut without an event list, for a film alone; the first is the one that cues stand
 * in. */
export async function newCut(name: string) {
  const { settings, cuts } = films.getState().film!;
  const id = `cut-${randomId()}`;
  const add = { id, name: name || say.cut(cuts.length + 1), on: "", reels: [] };
  return edit([
    { kind: "cut", id, add: add as unknown as Record<string, never> },
    ...(settings.cut ? [] : [{ kind: "production" as const, set: { cut: id } as unknown as Record<string, never> }]),
  ]);
}

/** takeCut makes the cues follow a cut, by the proposals that are chosen. */
export async function takeCut(cut: Id, choices: Record<Id, number>) {
  const done = await attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cuts/{cut}/conform", {
        params: { path: { id: films.getState().film!.id, cut } },
        body: { choices },
      }),
    ),
  );
  if (done) tell(say.theCuesAreInTheNewCut);
  return done;
}

/** backTo goes back to an earlier cut, with the cues as they stood in it. */
export async function backTo(cut: Id) {
  const done = await attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cuts/{cut}/back", {
        params: { path: { id: films.getState().film!.id, cut } },
      }),
    ),
  );
  if (done) tell(say.theCuesAreAsTheyWere);
  return done;
}

/** startCues starts cues from a template, and offers their folders to be saved. */
export async function startCues(
  cues: readonly Id[],
  how: { template?: string; call?: Id; click: boolean; own?: boolean },
) {
  const got = await attempt(async () => {
    let name = "cues.zip";
    const data = await answer(
      api
        .POST("/api/productions/{id}/start", { ...here(), body: { cues: [...cues], ...how }, parseAs: "blob" })
        .then((x) => {
          name = nameOf(x.response) ?? name;
          return x;
        }),
    );
    return { name, data: data as unknown as Blob };
  });
  if (!got) return false;
  save(got.name, got.data);
  tell(say.isReadyToBeSaved(got.name));
  return true;
}

/** nameOf is the name of the file that an answer holds. */
function nameOf(response: Response): string | undefined {
  const said = response.headers.get("Content-Disposition") ?? "";
  const coded = /filename\*=utf-8''([^;]+)/i.exec(said)?.[1];
  return coded ? decodeURIComponent(coded) : /filename="?([^";]+)/.exec(said)?.[1];
}

/** recut offers the MIDI file of a cue to be saved, edited as the cue followed its cut. */
export async function recut(cue: Cue, file: File) {
  const data = await attempt(() =>
    answer(
      api.POST("/api/productions/{id}/cues/{cue}/midi", {
        params: { path: { id: films.getState().film!.id, cue: cue.id } },
        ...fileBody(file),
        parseAs: "blob",
      }),
    ),
  );
  if (!data) return;
  save(say.recutMid(file.name.replace(/\.[^.]*$/, "")), data as unknown as Blob);
  tell(say.theEditedFileIsReady);
}

export type Tempi = Schemas["Tempi"];

export const findTempi = (body: Schemas["TempiAsk"]) =>
  attempt(() => answer(api.POST("/api/productions/{id}/tempi", { ...here(), body })));

/** meanwhile keeps the answer of before while only a revision or a count moves on, and never that of
 * another thing. */
const meanwhile =
  (...of: string[]) =>
  <T>(before: T | undefined, query?: { queryKey: readonly unknown[] }): T | undefined =>
    of.every((x) => query?.queryKey.includes(x)) ? before : undefined;

/** What is computed of a production, at a revision. */
export const filmed = {
  events: (id: string, cut: Id, reel: Id, count: number) =>
    queryOptions({
      queryKey: ["cut-events", id, cut, reel, count],
      queryFn: () =>
        answer(api.GET("/api/productions/{id}/cuts/{cut}/reels/{reel}", { params: { path: { id, cut, reel } } })),
      placeholderData: meanwhile(id, cut, reel),
    }),
  bars: (id: string, revision: number, cue: Id) =>
    queryOptions({
      queryKey: ["cue-bars", id, revision, cue],
      queryFn: () => answer(api.GET("/api/productions/{id}/cues/{cue}/bars", { params: { path: { id, cue } } })),
      placeholderData: meanwhile(id, cue),
    }),
  conforming: (id: string, revision: number, cut: Id) =>
    queryOptions({
      queryKey: ["conforming", id, revision, cut],
      queryFn: () => answer(api.GET("/api/productions/{id}/cuts/{cut}/conform", { params: { path: { id, cut } } })),
      placeholderData: meanwhile(id, cut),
    }),
  rates: () => queryOptions({ queryKey: ["frame-rates"], queryFn: () => answer(api.GET("/api/timecode/rates")) }),
};

/** placeAt is the bar and beat that is heard at a frame; null before the first. */
export function placeAt(bars: readonly Schemas["CueBar"][], frame: number): { bar: number; beat: number } | null {
  let low = 0;
  let high = bars.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (bars[middle]!.beats[0]! <= frame + 1e-6) low = middle + 1;
    else high = middle;
  }
  const bar = bars[low - 1];
  if (!bar) return null;
  const beat = bar.beats.findLastIndex((b) => b <= frame + 1e-6);
  return { bar: bar.bar, beat: beat + 1 };
}

/** frameOfTick is where a tick is heard, to within a beat that lasts evenly; null beyond the cue. */
export function frameOfTick(bars: readonly Schemas["CueBar"][], tick: number): number | null {
  const n = bars.findLastIndex((b) => b.tick <= tick);
  const bar = bars[n];
  if (!bar) return null;
  const beat = Math.floor((tick - bar.tick) / bar.beat);
  const from = bar.beats[beat];
  if (from === undefined) return null;
  const to = bar.beats[beat + 1] ?? bars[n + 1]?.beats[0] ?? from;
  return from + (to - from) * ((tick - bar.tick) / bar.beat - beat);
}

/** nearestTick is the tick of the beat that is heard nearest to a frame. */
export function nearestTick(bars: readonly Schemas["CueBar"][], frame: number): number | undefined {
  let best: number | undefined;
  let off = Number.POSITIVE_INFINITY;
  for (const b of bars)
    b.beats.forEach((at, k) => {
      if (Math.abs(at - frame) < off) {
        off = Math.abs(at - frame);
        best = b.tick + k * b.beat;
      }
    });
  return best;
}

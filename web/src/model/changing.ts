import { answer, api, type Change, type How, type Id, type Schemas } from "./api";
import { attempt, get, set, store, tell } from "./store";

import { words } from "./words";

const say = words.changing;

/** at is the path of the template that is open. */
export const at = () => ({ params: { path: { id: get().sheet!.id } } });

/** seen is the revision a person looks at now. An edit that takes a while
 * keeps the one it began with, so that what others set meanwhile is not
 * overwritten unseen. */
export const seen = () => get().sheet!.revision;

/** change sends one change; a clash asks which value should stand. */
export function change(c: Change, base = seen()): Promise<Schemas["Applied"] | undefined> {
  const send = (base: number) =>
    answer(api.POST("/api/templates/{id}/changes", { ...at(), body: { base, change: c } }));
  return attempt(
    () => send(base),
    () => send(seen()),
  );
}

/** settle sends one change of stems, return sets or sections, together with
 * what follows for groups, returns and sends. */
export function settle(c: Change, base = seen()): Promise<Schemas["Applied"] | undefined> {
  const send = (base: number) =>
    answer(api.POST("/api/templates/{id}/deliver/settle", { ...at(), body: { base, change: c } }));
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

/** again puts another row below each, on the same seat. */
export async function again(ids: Id[]) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/again", { ...at(), body: { ids } })));
  if (done?.added) selectNew(done.added, done.revision);
}

/** ownSeats gives rows that sit with others a seat of their own. */
export const ownSeats = (ids: Id[]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/own-seats", { ...at(), body: { ids } })));

export async function addRows(kind: string, count: number, after: Id | null, section?: Id) {
  const body = { kind, count, ...(after ? { after } : {}), ...(section ? { section } : {}) };
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/rows", { ...at(), body })));
  if (done?.added) selectNew(done.added, done.revision);
}

export async function layOut(ids: Id[], to: "switched" | "spread" | "performed", pattern: string) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/layout", { ...at(), body: { ids, to, pattern } })),
  );
  if (done) tell(say.laidOut(to));
  return done;
}

/** selectNew selects rows once the event that brings them has arrived. */
const selectNew = (ids: Id[], revision: number) =>
  once(revision, () => set({ selection: new Set(ids), cursor: ids[0] ?? null, anchor: ids[0] ?? null }));

/** once does something when the template is at a revision here. */
export function once(revision: number, run: () => void) {
  if ((get().sheet?.revision ?? 0) >= revision) return run();
  const stop = store.subscribe((s) => {
    if ((s.sheet?.revision ?? 0) >= revision) {
      stop();
      run();
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
        ? say.foundNoSeat(done.unseated.length)
        : say.everyoneIsSeatedOnRisers(done.risersUsed ?? 0),
    );
}

export const moveSeats = (ids: Id[], to: { machine: Id; riser: number; port: number; channel: number }) =>
  attempt(() => answer(api.POST("/api/templates/{id}/seating/move", { ...at(), body: { ids, to } })));

/** shiftSeats moves rows onto taken seats and shifts who sits there, or only tells who
 * would make way; null where even that is no way. */
export async function shiftSeats(
  ids: Id[],
  to: { machine: Id; riser: number; port: number; channel: number },
  take: boolean,
) {
  const ask = () => answer(api.POST("/api/templates/{id}/seating/shift", { ...at(), body: { ids, to, take } }));
  if (take) return (await attempt(ask)) ?? null;
  return ask().catch(() => null);
}

/** call brings instruments to ready or rests them. Before what is in use is
 * rested, a person is asked. What plays its recording loads nothing, and says so. */
export async function call(ids: Id[], how: How, saved?: Id) {
  const send = (sure: boolean) =>
    answer(
      api.POST("/api/templates/{id}/calls", {
        ...at(),
        body: { ids, how, ...(sure ? { sure } : {}), ...(saved ? { saved } : {}) },
      }),
    );
  const done = await attempt(
    () => send(false),
    () => send(true),
  );
  const rows = get().sheet?.instruments.byId;
  const printed = ids.map((id) => rows?.get(id)).filter((i) => i?.printed);
  if (done && how !== "rest" && printed.length > 0)
    tell(
      printed.length === 1
        ? say.playsItsRecordingAndLoads(printed[0]!.name)
        : say.rowsPlayTheirRecordings(printed.length),
    );
  return done;
}

/** restThere rests all that another template holds on a machine. */
export function restThere(template: string, machine: Id) {
  const send = (sure: boolean) =>
    answer(
      api.POST("/api/templates/{id}/machines/{machine}/rest", {
        params: { path: { id: template, machine } },
        body: sure ? { sure } : {},
      }),
    );
  return attempt(
    () => send(false),
    () => send(true),
  );
}

/** keep marks instruments to stay ready whatever is called, or no longer. */
export const keep = (ids: Id[], on: boolean) => change({ kind: "edit", edits: ids.map((id) => ({ id, keep: on })) });

/** keepSpares adds the spare rows that sections lack. */
export const keepSpares = () => attempt(() => answer(api.POST("/api/templates/{id}/spares", at())));

/** pin puts rows first in every sightline, or back in their place. */
export const pin = (ids: Id[], on: boolean) => change({ kind: "edit", edits: ids.map((id) => ({ id, pinned: on })) });

/** setAside sets rows aside, or brings them back, with those that sit with them; in one change. */
export function setAside(ids: readonly Id[], on: boolean) {
  const { sheet } = get();
  const moved = new Set(ids);
  for (const i of sheet!.instruments.byId.values()) {
    if (i.with && moved.has(i.with)) moved.add(i.id);
    if (i.with && !on && moved.has(i.id)) moved.add(i.with); // whose sound it plays
  }
  return change({ kind: "edit", edits: [...moved].map((id) => ({ id, aside: on })) });
}

export async function saveCall(name: string) {
  const done = await attempt(() => answer(api.POST("/api/templates/{id}/calls/save", { ...at(), body: { name } })));
  if (done) tell(say.savedAs(name));
  return done;
}

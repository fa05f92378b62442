import { createStore, useStore } from "zustand";
import { answer, api, fileBody, type Id, type Instrument, type Schemas } from "./api";
import { at, change } from "./changing";
import { attempt, get, tell } from "./store";

import { words } from "./words";

const say = words.balance;

export type Measuring = Schemas["Measuring"];
export type BalanceRow = Schemas["BalanceRow"];
export type LevelTrim = Schemas["LevelTrim"];

/** How the measuring of rows goes, whoever began it; null while nobody knows. */
export const measuring = createStore<{ now: Measuring | null }>()(() => ({ now: null }));
export const useMeasuring = () => useStore(measuring, (s) => s.now);

const often = 400; // how often it is asked how far it is, ms
let following = false;

/** measure has the machines measure rows; none for all. With keepLevel, rows that were measured
 * before are trimmed so that they are as loud as they were. */
export async function measure(rows: readonly Id[], keepLevel = false) {
  const now = await attempt(() =>
    answer(api.POST("/api/templates/{id}/balance/measuring", { ...at(), body: { rows: [...rows], keepLevel } })),
  );
  if (!now) return;
  measuring.setState({ now });
  void follow();
}

/** follow asks how the measuring goes until it has ended, and tells what came of it. */
export async function follow() {
  if (following) return;
  following = true;
  const id = get().sheet?.id;
  const state = () =>
    id === get().sheet?.id
      ? attempt(() => answer(api.GET("/api/templates/{id}/balance/measuring", at())))
      : Promise.resolve(null);
  let now = await state();
  measuring.setState({ now: now ?? null });
  const ran = now?.running;
  while (now?.running) {
    await new Promise((done) => setTimeout(done, often));
    now = await state();
    if (now) measuring.setState({ now });
  }
  following = false;
  if (!ran || !now) return;
  const not = now.not.length > 0 ? say.notHeard(now.not.slice(0, 2).join("; ")) : "";
  const kept = now.kept > 0 ? say.asLoudAsBefore(now.kept === now.heard ? "" : `${now.kept} `) : "";
  tell(say.rowsHeard(now.heard, kept, now.reason ? say.itWas(now.reason) : "", not));
}

/** keepLevels measures rows again that sound other than they did, and trims them so that they
 * are as loud as before. Rows that were never measured have no level to keep; what only a
 * recording can tell is left marked. */
export async function keepLevels(ids: readonly Id[]) {
  const rows = ids.filter((id) => {
    const i = get().sheet?.instruments.byId.get(id);
    return i?.heard?.by === "stand-in" && i.seat;
  });
  if (rows.length > 0) await measure(rows, true);
}

export const stopMeasuring = () => attempt(() => answer(api.DELETE("/api/templates/{id}/balance/measuring", at())));

/** levelTrims are proposed for rows; none for all. */
export const levelTrims = (rows: readonly Id[]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/balance/trims", { ...at(), body: { rows: [...rows] } })));

export async function takeLevelTrims(rows: readonly Id[]) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/balance/trims/take", { ...at(), body: { rows: [...rows] } })),
  );
  if (done) tell(say.theLevelOfRows(rows.length));
  return done;
}

/** trimBy sets the level trim of rows, dB. */
export const trimBy = (rows: readonly Id[], levelTrimDb: number) =>
  change({ kind: "edit", edits: rows.map((id) => ({ id, levelTrimDb })) });

export type Calibrated = Schemas["Calibrated"];

/** testLink is where the MIDI file of a calibration pass is. */
export const testLink = (revision: number, together: boolean) =>
  `/api/templates/${get().sheet!.id}/balance/calibration/test?together=${together}&revision=${revision}`;

/** calibrate sends the recording of a pair, counted from 1. */
export const calibrate = (revision: number, together: boolean, pair: number, file: File) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/balance/calibration/recordings/{pair}", {
        params: { path: { id: get().sheet!.id, pair }, query: { together, revision } },
        ...fileBody(file),
      }),
    ),
  );

/** takeHall sets the sends and pans of sections as the hall asks; none for all. */
export async function takeHall(sections: readonly Id[]) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/balance/hall/take", { ...at(), body: { sections: [...sections] } })),
  );
  if (done) tell(say.sendsAndPansSuit);
  return done;
}

/** startWith sets a controller value that rows begin with; null takes that of the settings. */
export const startWith = (rows: readonly Instrument[], number: number, value: number | null) =>
  change({
    kind: "edit",
    edits: rows.map((i) => {
      const others = (i.upbeat ?? []).filter((c) => c.number !== number);
      return { id: i.id, upbeat: value === null ? others : [...others, { number, value }] };
    }),
  });

/** takeWeights sets the faders of groups as the table of strengths has them. */
export async function takeWeights(groups: readonly Id[]) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/balance/weights/take", { ...at(), body: { groups: [...groups] } })),
  );
  if (done) tell(say.groupsBalancedByStrength(groups.length));
  return done;
}

export type Microphones = Schemas["Microphones"];

/** microphones measures a row through each of its microphone positions. */
export const microphones = (instrument: Id) =>
  attempt(() =>
    answer(
      api.POST("/api/templates/{id}/balance/microphones/{instrument}", {
        params: { path: { id: get().sheet!.id, instrument } },
      }),
    ),
  );

/** listenThrough lets a row be heard through other microphones, as loud as before. */
export async function listenThrough(id: Id, mics: readonly string[]) {
  const done = await change({ kind: "edit", edits: [{ id, mics: [...mics] }] });
  if (done) await keepLevels([id]);
  return done;
}

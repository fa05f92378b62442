import { answer, api, fileBody, type Id, type Instrument, type Schemas } from "./api";
import { at, change } from "./changing";
import { attempt, get, tell } from "./store";
import { plural } from "./template";

export type Measuring = Schemas["Measuring"];
export type BalanceRow = Schemas["BalanceRow"];
export type LevelTrim = Schemas["LevelTrim"];

/** measure has the machines measure rows; none for all. */
export const measure = (rows: readonly Id[]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/balance/measuring", { ...at(), body: { rows: [...rows] } })));
export const measuringState = () => attempt(() => answer(api.GET("/api/templates/{id}/balance/measuring", at())));
export const stopMeasuring = () => attempt(() => answer(api.DELETE("/api/templates/{id}/balance/measuring", at())));

/** levelTrims are proposed for rows; none for all. */
export const levelTrims = (rows: readonly Id[]) =>
  attempt(() => answer(api.POST("/api/templates/{id}/balance/trims", { ...at(), body: { rows: [...rows] } })));

export async function takeLevelTrims(rows: readonly Id[]) {
  const done = await attempt(() =>
    answer(api.POST("/api/templates/{id}/balance/trims/take", { ...at(), body: { rows: [...rows] } })),
  );
  if (done) tell(`The level of ${plural(rows.length, "row")} is trimmed.`);
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
  if (done) tell("Sends and pans are as the hall asks.");
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
  if (done) tell(`${plural(groups.length, "group")} balanced by strength.`);
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

/** listenThrough lets a row be heard through other microphones. What was measured of it was
 * through those before. */
export async function listenThrough(id: Id, mics: readonly string[]) {
  const done = await change({ kind: "edit", edits: [{ id, mics: [...mics] }] });
  if (done) tell("Measure the row again: its level may be another now.");
  return done;
}

import { queryOptions } from "@tanstack/react-query";
import { answer, api, fileBody, type Schemas } from "./api";
import { attempt } from "./store";

export type Effect = Schemas["Effect"];
export type EffectKind = Schemas["EffectKind"];
export type Parameter = Schemas["EffectParameter"];

/** The kinds of effect, with their parameters: they are said in the core. */
export const effectKinds = queryOptions({
  queryKey: ["effects"],
  queryFn: () => answer(api.GET("/api/effects")),
  staleTime: Number.POSITIVE_INFINITY,
});

/** keepImpulse keeps the recording of a room. */
export const keepImpulse = (file: File) =>
  attempt(() => answer(api.POST("/api/recordings", { params: { query: { file: file.name } }, ...fileBody(file) })));

/** standsAt is what a parameter stands at. */
export const standsAt = (e: Effect, p: Parameter) => e.set?.[p.name] ?? p.usual;

/** withValue sets a parameter; what is as usual is not said. */
export function withValue(e: Effect, p: Parameter, value: number): Effect {
  const { [p.name]: _, ...rest } = e.set ?? {};
  const at = Math.min(p.high, Math.max(p.low, value));
  const { set: __, ...bare } = e;
  const set = at === p.usual ? rest : { ...rest, [p.name]: at };
  return Object.keys(set).length > 0 ? { ...bare, set } : bare;
}

/** said is an effect in a few words: "hall 2.8 s". */
export function said(e: Effect, kind: EffectKind | undefined): string {
  const first = kind?.parameters.find((p) => ["decayS", "timeMs", "ceilingDb"].includes(p.name));
  return [kind?.words ?? e.kind, first && `${standsAt(e, first)} ${first.unit}`, e.file].filter(Boolean).join(" ");
}

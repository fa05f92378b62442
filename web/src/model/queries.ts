import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { answer, api, type How, type Id, type Schemas } from "./api";

const path = (id: string) => ({ params: { path: { id } } });

const numbers = new WeakMap<object, number>();
let given = 0;

/** numberOf numbers a collection that never changes, so that thousands of ids
 * need not be compared to know that they are the same. */
function numberOf(ids: object): number {
  const known = numbers.get(ids);
  if (known !== undefined) return known;
  numbers.set(ids, ++given);
  return given;
}

/** What the core computes of one revision of a template. Each is asked again
 * when the revision moves on, showing the last answer meanwhile. */
export const computed = {
  /** When each saved call was last used. */
  callsUsed: (id: string) =>
    queryOptions({
      queryKey: ["calls-used", id],
      queryFn: () => answer(api.GET("/api/templates/{id}/calls/used", path(id))),
      staleTime: 0,
    }),
  /** The templates of the studio; asked for again whenever they are looked at. */
  templates: () =>
    queryOptions({ queryKey: ["templates"], queryFn: () => answer(api.GET("/api/templates")), staleTime: 0 }),
  /** marks without their remedies, or with those that were tried and fix. */
  marks: (id: string, revision: number, called: number, count: number, tried: boolean) =>
    queryOptions({
      queryKey: ["marks", id, revision, called, count, tried],
      queryFn: () =>
        answer(api.GET("/api/templates/{id}/marks", { params: { path: { id }, query: { count, tried } } })),
      placeholderData: keepPreviousData,
    }),
  balance: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["balance", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/balance", path(id))),
      placeholderData: keepPreviousData,
    }),
  hall: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["hall", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/balance/hall", path(id))),
      placeholderData: keepPreviousData,
    }),
  /** calibration is the test as it would be taken out now, or as it was. */
  calibration: (id: string, now: number, together: boolean, revision?: number) =>
    queryOptions({
      queryKey: ["calibration", id, revision ?? now, together],
      queryFn: () =>
        answer(
          api.GET("/api/templates/{id}/balance/calibration", {
            params: { path: { id }, query: { together, ...(revision ? { revision } : {}) } },
          }),
        ),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  undoable: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["undoable", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/undo", path(id))),
      placeholderData: keepPreviousData,
    }),
  routing: (
    id: string,
    revision: number,
    fold: Id,
    toggled: string[],
    room: number,
    only: ReadonlySet<Id> | null, // who shows, when not all do
    shows: { ready?: boolean; sight?: Id } = {}, // and why
  ) =>
    queryOptions({
      queryKey: ["routing", id, revision, fold, toggled.join(), room, only && numberOf(only)],
      queryFn: () =>
        answer(
          api.GET("/api/templates/{id}/routing", {
            params: { path: { id }, query: { fold, toggled, room, ...(only ? shows : {}) } },
          }),
        ),
      placeholderData: keepPreviousData,
    }),
  reach: (id: string, revision: number, instrument: Id) =>
    queryOptions({
      queryKey: ["reach", id, revision, instrument],
      queryFn: () =>
        answer(api.GET("/api/templates/{id}/reach/{instrument}", { params: { path: { id, instrument } } })),
      placeholderData: keepPreviousData,
    }),
  wiring: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["wiring", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/deliver/wire", path(id))),
    }),
  shorthand: (line: string) =>
    queryOptions({
      queryKey: ["shorthand", line],
      queryFn: () => answer(api.GET("/api/shorthand", { params: { query: { line } } })),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  busTrace: (id: string, revision: number, bus: Id) =>
    queryOptions({
      queryKey: ["bus-trace", id, revision, bus],
      queryFn: () => answer(api.GET("/api/templates/{id}/trace/bus/{bus}", { params: { path: { id, bus } } })),
      placeholderData: keepPreviousData,
    }),
  dependants: (id: string, revision: number, bus: Id) =>
    queryOptions({
      queryKey: ["dependants", id, revision, bus],
      queryFn: () => answer(api.GET("/api/templates/{id}/buses/{bus}/dependants", { params: { path: { id, bus } } })),
    }),
  delivery: (id: string, revision: number, minutes: number) =>
    queryOptions({
      queryKey: ["delivery", id, revision, minutes],
      queryFn: () =>
        answer(api.GET("/api/templates/{id}/deliver/cost", { params: { path: { id }, query: { minutes } } })),
      placeholderData: keepPreviousData,
    }),
  starts: (id: string) =>
    queryOptions({
      queryKey: ["starts", id],
      queryFn: () => answer(api.GET("/api/templates/{id}/deliver/starts", path(id))),
    }),
  verdicts: (id: string, revision: number, rules: readonly Schemas["StemRule"][]) =>
    queryOptions({
      queryKey: ["verdicts", id, revision, JSON.stringify(rules)],
      queryFn: () =>
        answer(api.POST("/api/templates/{id}/deliver/rules", { ...path(id), body: { rules: [...rules] } })),
      placeholderData: keepPreviousData,
      retry: false,
    }),
  arriving: (id: string, revision: number, bus: Id) =>
    queryOptions({
      queryKey: ["arriving", id, revision, bus],
      queryFn: () => answer(api.GET("/api/templates/{id}/arriving/{bus}", { params: { path: { id, bus } } })),
    }),
  trace: (id: string, revision: number, instrument: Id) =>
    queryOptions({
      queryKey: ["trace", id, revision, instrument],
      queryFn: () =>
        answer(api.GET("/api/templates/{id}/trace/{instrument}", { params: { path: { id, instrument } } })),
      placeholderData: keepPreviousData,
    }),
  seating: (id: string, revision: number) =>
    queryOptions({
      queryKey: ["seating", id, revision],
      queryFn: () => answer(api.GET("/api/templates/{id}/seating", path(id))),
      placeholderData: keepPreviousData,
    }),
  cost: (id: string, revision: number, called: number, how: How, ids: Iterable<Id> & object) =>
    queryOptions({
      queryKey: ["cost", id, revision, called, how, numberOf(ids)],
      queryFn: () => answer(api.POST("/api/templates/{id}/calls/cost", { ...path(id), body: { ids: [...ids], how } })),
      placeholderData: keepPreviousData,
    }),
};
